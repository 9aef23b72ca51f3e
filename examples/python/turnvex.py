"""A small Turnvex client on Python's standard library alone.

It was written from docs/protocol.md. It speaks both encodings, keeps a copy of
everything that it may see, answers pings and checks, and sends intents:

    who = sign_in("http://127.0.0.1:7420", "a-device-key-of-24-or-more-signs", "Mara")
    live = Live("http://127.0.0.1:7420", who["token"], "K7WPQ4")
    print(live.do("ready"))
    live.until(lambda: live.show(live.match, "phase") == "play")

Everything happens in the calls: while none is under way nothing is read.
"""

import base64
import hashlib
import json
import os
import socket
import struct
import time
import urllib.error
import urllib.request
import zlib

KINDS = ["lobby", "match", "team", "player", "record", "piece", "creature", "zone"]


class Refused(Exception):
    """The service refused something: code is stable, the text is for people."""

    def __init__(self, code, reason):
        super().__init__(f"{reason} [{code}]")
        self.code = code


def call(address, method, path, body=None, token=None):
    """One request to the HTTP API."""
    headers = {"Content-Type": "application/json"}
    if token:
        headers["Authorization"] = "Bearer " + token
    data = None if body is None else json.dumps(body).encode()
    try:
        with urllib.request.urlopen(urllib.request.Request(address + path, data, headers, method=method)) as answer:
            return json.loads(answer.read() or b"null")
    except urllib.error.HTTPError as error:
        problem = json.loads(error.read())
        raise Refused(problem["code"], problem["detail"]) from None


def sign_in(address, device, name):
    return call(address, "POST", "/v1/sign-in/device", {"device": device, "name": name})


# --- CBOR (RFC 8949), as much of it as the protocol uses


def cbor_write(v):
    if isinstance(v, bool):
        return b"\xf5" if v else b"\xf4"
    if v is None:
        return b"\xf6"
    if isinstance(v, int):
        return cbor_head(0, v) if v >= 0 else cbor_head(1, -1 - v)
    if isinstance(v, float):
        return b"\xfb" + struct.pack(">d", v)
    if isinstance(v, str):
        raw = v.encode()
        return cbor_head(3, len(raw)) + raw
    if isinstance(v, list):
        return cbor_head(4, len(v)) + b"".join(map(cbor_write, v))
    return cbor_head(5, len(v)) + b"".join(cbor_write(k) + cbor_write(x) for k, x in v.items())


def cbor_head(major, n):
    for info, size, form in ((24, 1, ">B"), (25, 2, ">H"), (26, 4, ">I"), (27, 8, ">Q")):
        if n < 24:
            return bytes([major << 5 | n])
        if n < 1 << 8 * size:
            return bytes([major << 5 | info]) + struct.pack(form, n)
    raise ValueError(f"{n} is too large")


def cbor_read(data, at=0):
    """Returns one value and where it ends."""
    major, n = data[at] >> 5, data[at] & 31
    at += 1
    if major == 7 and n in (20, 21, 22):
        return (False, True, None)[n - 20], at
    if major == 7 and n == 27:
        return struct.unpack_from(">d", data, at)[0], at + 8
    if n >= 24:
        size = 1 << n - 24
        n, at = int.from_bytes(data[at : at + size], "big"), at + size
    if major == 0:
        return n, at
    if major == 1:
        return -1 - n, at
    if major in (2, 3):
        raw = bytes(data[at : at + n])
        return (raw.decode() if major == 3 else raw), at + n
    if major == 4:
        out = []
        for _ in range(n):
            v, at = cbor_read(data, at)
            out.append(v)
        return out, at
    if major == 5:
        out = {}
        for _ in range(n):
            key, at = cbor_read(data, at)
            out[key], at = cbor_read(data, at)
        return out, at
    raise ValueError(f"CBOR of major type {major} with {n} is not used here")


def decode(data, binary):
    """A message of either encoding as a dictionary."""
    if not binary:
        return json.loads(data)
    first, at = cbor_read(data)
    if isinstance(first, dict):
        return first
    if len(first) > 2:
        names = ("seat", "n", "tick", "code", "reason", "left", "waits")
        verdict = {"is": "verdict", "tick": 0, **{name: value for name, value in zip(names, first) if value}}
        return {**verdict, "ok": "code" not in verdict}
    parts = []
    while at < len(data):
        part, at = cbor_read(data, at)
        parts.append(part)
    if len(first) == 1:
        return {"is": "snapshot", "tick": first[0], "parts": parts}
    return {"is": "delta", "on": first[0] - first[1], "tick": first[0], "parts": parts}


# --- WebSocket (RFC 6455)


class WebSocket:
    def __init__(self, address, protocol):
        host = address.split("://", 1)[1].rstrip("/")
        name, _, port = host.partition(":")
        self.socket = socket.create_connection((name, int(port or 80)), timeout=15)
        self.socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self.buffer = b""
        key = base64.b64encode(os.urandom(16)).decode()
        self.socket.sendall(
            (
                f"GET /v1/live HTTP/1.1\r\nHost: {host}\r\nUpgrade: websocket\r\nConnection: Upgrade\r\n"
                f"Sec-WebSocket-Key: {key}\r\nSec-WebSocket-Version: 13\r\nSec-WebSocket-Protocol: {protocol}\r\n\r\n"
            ).encode()
        )
        while b"\r\n\r\n" not in self.buffer:
            self.fill()
        head, self.buffer = self.buffer.split(b"\r\n\r\n", 1)
        want = base64.b64encode(hashlib.sha1((key + "258EAFA5-E914-47DA-95CA-C5AB0DC85B11").encode()).digest())
        if b" 101 " not in head or want not in head:
            raise ConnectionError(head.decode())

    def fill(self):
        more = self.socket.recv(65536)
        if not more:
            raise ConnectionError("the connection is closed")
        self.buffer += more

    def take(self, n):
        while len(self.buffer) < n:
            self.fill()
        out, self.buffer = self.buffer[:n], self.buffer[n:]
        return out

    def send(self, data, opcode):
        mask = os.urandom(4)
        n = len(data)
        if n < 126:
            size = bytes([0x80 | n])
        elif n < 65536:
            size = struct.pack(">BH", 0xFE, n)
        else:
            size = struct.pack(">BQ", 0xFF, n)
        masked = bytes(b ^ mask[i & 3] for i, b in enumerate(data))
        self.socket.sendall(bytes([0x80 | opcode]) + size + mask + masked)

    def receive(self):
        """The next whole message, and whether it is binary."""
        whole, kind = b"", 0
        while True:
            first, n = self.take(2)
            n &= 127
            if n == 126:
                (n,) = struct.unpack(">H", self.take(2))
            elif n == 127:
                (n,) = struct.unpack(">Q", self.take(8))
            data, opcode = self.take(n), first & 15
            if opcode == 8:
                raise ConnectionError("the service closed the connection")
            if opcode == 9:
                self.send(data, 10)
            if opcode >= 8:
                continue
            whole, kind = whole + data, opcode or kind
            if first & 0x80:
                return whole, kind == 2


# --- The copy


class Copy:
    """What one may see: sheets by number, each with kind, owner and fields by number."""

    def __init__(self, schema):
        self.tick = 0
        self.sheets = {}
        self.fields = [{f["no"]: f for f in kind or []} for kind in schema["kinds"]]

    def replace(self, parts):
        self.sheets = {}
        self.apply(parts)

    def apply(self, parts):
        for part in parts:
            op = part[0]
            if op == 0:
                sheet = self.sheets[part[1]] = {"id": part[1], "kind": part[2], "owner": part[3]}
                sheet["values"], sheet["steps"] = {}, {}
                self.put(sheet, part[4:])
            elif op == -1:
                for number in part[1:]:
                    self.sheets.pop(number, None)
            elif op == -2:
                for no in part[2:]:
                    self.sheets[part[1]]["values"].pop(no, None)
            elif op == -3:
                at = 2
                while at < len(part):
                    sheet = self.sheets[part[at]]
                    kind = self.fields[sheet["kind"]][part[1]]["type"]
                    width = {"position": 2, "position3": 3, "clock": 3}.get(kind, 1)
                    self.put(sheet, [part[1], part[at + 1 : at + 1 + width] if width > 1 else part[at + 1]])
                    at += 1 + width
            elif op == -4:
                values, at = self.sheets[part[1]]["values"], 3
                while part[2] in values and at < len(part):  # otherwise the whole list follows
                    begin, cut, n = part[at : at + 3]
                    old = values[part[2]]
                    values[part[2]] = old[:begin] + part[at + 3 : at + 3 + n] + old[begin + cut :]
                    at += 3 + n
            elif op == -5:
                self.course(*part[1:4], iter(part[4:]))
            else:
                self.put(self.sheets[op], part[1:])

    def course(self, no, number, stride, elements):
        """Places by how much their steps differ from the ones before."""
        width = {"position": 2, "position3": 3}[self.fields[self.sheets[number]["kind"]][no]["type"]]
        ways = 3**width
        for folded in elements:
            skip, code = divmod(2 * folded if folded >= 0 else -1 - 2 * folded, ways + 1)
            number += skip * stride
            sheet = self.sheets[number]
            off = [next(elements) if code == ways else code // 3**k % 3 - 1 for k in range(width)]
            self.put(sheet, [no, [sum(p) for p in zip(sheet["values"][no], sheet["steps"][no], off)]])
            number += stride

    def put(self, sheet, pairs):
        for no, value in zip(pairs[::2], pairs[1::2]):
            if no not in self.fields[sheet["kind"]]:
                raise ValueError(f"there is no field {no} on a {KINDS[sheet['kind']]}")
            if self.fields[sheet["kind"]][no]["type"].startswith("position") and no in sheet["values"]:
                old = sheet["values"][no]
                sheet["steps"][no] = [new - before for new, before in zip(value, old)]
            sheet["values"][no] = value

    def of(self, kind):
        return [s for _, s in sorted(self.sheets.items()) if KINDS[s["kind"]] == kind]

    def get(self, sheet, name):
        """A field's value as it is sent; None where it is not to be seen."""
        for no, f in self.fields[sheet["kind"]].items() if sheet else ():
            if f["name"] == name:
                return sheet["values"].get(no)
        return None

    def show(self, sheet, name):
        """The same for people: numbers as decimals, choices by their word."""
        value = self.get(sheet, name)
        for f in self.fields[sheet["kind"]].values() if sheet else ():
            if f["name"] == name and value is not None:
                if f["type"] == "number":
                    return value / 1000
                return f["choices"][value] if f["type"] == "choice" else value
        return None

    def hash(self):
        lines = []
        for number, s in sorted(self.sheets.items()):
            lines.append(f"{number},{s['kind']},{s['owner']}\n")
            lines += [f"{no}={flat(v)}\n" for no, v in sorted(s["values"].items())]
        return zlib.crc32("".join(lines).encode())

    def parts(self):
        return [
            [0, n, s["kind"], s["owner"]] + [x for pair in sorted(s["values"].items()) for x in pair]
            for n, s in sorted(self.sheets.items())
        ]


def flat(value):
    if isinstance(value, bool):
        return "1" if value else "0"
    return ",".join(map(str, value)) if isinstance(value, list) else str(value)


def between(seen, tick):
    """Where something is shown at a tick, given [tick, x, y] in order."""
    for i, (at, x, y) in enumerate(seen):
        if at >= tick:
            if i == 0:
                return [x, y]
            before, px, py = seen[i - 1]
            part = (tick - before) / (at - before)
            return [px + part * (x - px), py + part * (y - py)]
    return list(seen[-1][1:]) if seen else [0, 0]


def clock_millis(clock, now, rate):
    return max(clock[0] + clock[1] * (now - clock[2]), 0) * 1000 // rate


# --- The connection


class Live:
    """One live connection. on_notice is called with each notice."""

    def __init__(self, address, token, lobby, binary=True, on_notice=None, **hello):
        self.binary, self.on_notice = binary, on_notice or (lambda notice: None)
        self.hello = {"is": "hello", "token": token, "lobby": lobby, **hello}
        self.verdicts, self.copy, self.frozen, self.checks, self.differs = {}, None, None, 0, []
        self.greet(address)
        self.until(lambda: self.copy and self.copy.sheets)

    def greet(self, address):
        """Says hello to the node at an address; the lobby's own node is told with bye."""
        self.socket = WebSocket(address, "turnvex.v1+cbor" if self.binary else "turnvex.v1+json")
        self.say(self.hello)

    def say(self, message):
        data = cbor_write(message) if self.binary else json.dumps(message).encode()
        self.socket.send(data, 2 if self.binary else 1)

    def until(self, holds, seconds=20):
        """Takes messages in until something holds."""
        end = time.monotonic() + seconds
        while not holds():
            if time.monotonic() > end:
                raise TimeoutError("it did not come about")
            self.message(decode(*self.socket.receive()))

    def do(self, what, seat=None, **more):
        """Sends an intent and returns its verdict; a refusal is raised. While play stands still it is sent again."""
        seat = seat or self.seat
        while True:
            self.last[seat] = n = self.last.get(seat, 0) + 1
            self.say({"is": "intent", "seat": seat, "n": n, "do": what, **more})
            self.until(lambda: (seat, n) in self.verdicts)
            verdict = self.verdicts.pop((seat, n))
            if verdict.get("code") != "not-kept":
                break
            time.sleep(0.1)
        if not verdict["ok"]:
            raise Refused(verdict["code"], verdict["reason"])
        return verdict

    def leave(self):
        self.say({"is": "leave"})
        try:
            self.until(lambda: False)
        except Refused as bye:
            if bye.code != "left":
                raise

    @property
    def match(self):
        return next(iter(self.copy.of("match")), None)

    @property
    def me(self):
        return self.copy.sheets.get(self.seat)

    def show(self, sheet, name):
        return self.copy.show(sheet, name)

    def message(self, m):
        kind = m["is"]
        if kind == "welcome":
            self.rate, self.key = m["rate"], m.get("resume")
            self.last = {s["seat"]: s["last"] for s in m["seats"]}
            self.seat = m["seats"][0]["seat"] if m["seats"] else 0
            self.copy = Copy(m["schema"])
        elif kind == "snapshot":
            self.copy.replace(m["parts"])
            self.copy.tick = m["tick"]
        elif kind == "delta":
            if m["on"] == self.copy.tick:
                self.copy.apply(m["parts"])
                self.copy.tick = m["tick"]
            else:
                self.say({"is": "whole"})
        elif kind == "verdict":
            self.verdicts[m["seat"], m["n"]] = m
        elif kind == "notice":
            self.on_notice(m)
        elif kind == "ping":
            self.say({"is": "pong", "n": m["n"]})
        elif kind == "check" and m["tick"] == self.copy.tick:
            self.frozen = m["tick"], self.copy.parts()
            self.checks += 1
            self.say({"is": "hash", "tick": m["tick"], "hash": self.copy.hash()})
        elif kind == "show" and self.frozen and self.frozen[0] == m["tick"]:
            self.say({"is": "shown", "tick": m["tick"], "parts": self.frozen[1]})
        elif kind == "differs":
            self.differs += m["fields"]
        elif kind == "bye" and m.get("at"):  # the lobby is at another node
            self.greet(m["at"])
        elif kind == "bye":
            raise Refused(m["code"], m["reason"])
