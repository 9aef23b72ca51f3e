"""Joins a lobby, gets ready and uses one action on a rival until the match is over:

    python3 play.py http://127.0.0.1:7420 K7WPQ4 [ACTION]
"""

import secrets
import sys
import time

from turnvex import Live, Refused, sign_in


def main(address, lobby, action="ram"):
    who = sign_in(address, secrets.token_hex(16), "Py")
    live = Live(address, who["token"], lobby, on_notice=lambda notice: print(notice["name"], notice.get("with", {})))
    for player in live.copy.of("player"):
        print("here is", live.show(player, "name"))
    try:
        live.do("act", name=action)
    except Refused as no:
        print("refused:", no.code)
    live.do("ready")
    live.until(lambda: live.match and live.show(live.match, "phase") == "play", 60)
    while live.match and not live.show(live.match, "over"):
        rivals = [p for p in live.copy.of("player") if live.show(p, "team") != live.show(live.me, "team")]
        try:
            live.do("act", name=action, target=rivals[0]["id"])
        except Refused as no:
            if no.code not in ("cooldown", "target-is-out", "too-little", "not-playing", "inputs-frozen"):
                raise
            time.sleep(0.02)
    print("the match is over:", live.show(live.match, "because"))
    print(f"checked {live.checks} times, differed in {live.differs}")
    live.leave()


main(*sys.argv[1:])
