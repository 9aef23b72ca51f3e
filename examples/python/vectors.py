"""Holds turnvex.py against the test vectors: python3 vectors.py VECTORS.json"""

import json
import sys

from turnvex import Copy, between, cbor_read, cbor_write, clock_millis, decode


def main(file):
    with open(file, encoding="utf-8") as f:
        vectors = json.load(f)
    for v in vectors["messages"]:
        raw = bytes.fromhex(v["cbor"])
        assert decode(raw, True) == v["json"], v["what"]
        if v["what"] not in ("snapshot", "delta"):
            assert cbor_write(cbor_read(raw)[0]) == raw, v["what"]
    for binary, told in [(b, t) for b in (False, True) for t in (vectors, vectors["tall"])]:
        copy = Copy(told["schema"])
        for step in told["story"]:
            m = decode(bytes.fromhex(step["cbor"]), True) if binary else step["json"]
            if m["is"] == "snapshot":
                copy.replace(m["parts"])
            else:
                assert m["on"] == copy.tick, step["what"]
                copy.apply(m["parts"])
            copy.tick = m["tick"]
            assert copy.hash() == step["hash"], step["what"]
            for path, want in step["seen"].items():
                sheet, field = path.split("/")
                assert copy.get(copy.sheets.get(int(sheet)), field) == want, (step["what"], path)
    for c in vectors["clocks"]:
        assert clock_millis(c["clock"], c["now"], c["rate"]) == c["millis"], c
    for b in vectors["between"]:
        assert between(b["seen"], b["tick"]) == b["at"], b
    print(f"{len(vectors['messages'])} messages and {len(vectors['story'])} steps agree")


main(sys.argv[1])
