"""Memory: how much web and sound processes hold while three songs are played, edited and looked at; over 500 MiB is too much.

Usage: bin/bench memory [--minutes 60] [--limit 500] [--port 8194]

It starts bin/demo on a data folder of its own and makes two more demo songs. A listener of each plays every lane as fast as it is answered
until `--minutes` of sound were fetched of each, changes a send every ten seconds of sound, and opens a screen as often. What counts is
RssAnon, the memory that is not a file's: memory-mapped stems are the system's to give up.
"""

import argparse
import itertools
import json
import random
import re
import sys
import threading
import time
from pathlib import Path

from bench.visitors import Visitor, demo, processes

_SCREENS = ("song", "returns", "sends", "moves", "hall", "findings", "versions", "hand-off", "newest")
_SECONDS_A_VISIT = 10


def anonymous_mib(data: Path) -> dict[str, float]:
    """Return the anonymous memory of what serves pages, and of what serves sound, in MiB."""
    return {name: sum(map(_mib, processes(data)[name])) for name in ("web", "sound")}


def _mib(number: int) -> float:
    status = Path(f"/proc/{number}/status").read_text()
    return int(re.search(r"RssAnon:\s+(\d+)", status)[1]) / 1024


def listen(port: int, song: int, minutes: float, played: dict[int, float]) -> None:
    """Play a song again and again, with an edit and a screen now and then."""
    visitor, rng = Visitor(port), random.Random(song)
    visitor.sign_in()
    screens = itertools.cycle(_SCREENS)
    played[song] = 0.0
    while played[song] < minutes * 60:
        manifest = json.loads(visitor.ask("GET", f"/songs/{song}/manifest/")[1])
        seconds = manifest["segmentFrames"] / manifest["sampleRate"]
        first = rng.randrange(len(manifest["lanes"][0]["keys"]))
        for index in range(first, min(first + int(_SECONDS_A_VISIT // seconds), len(manifest["lanes"][0]["keys"]))):
            for lane in manifest["lanes"]:
                address = lane["url"].replace("INDEX", str(index)).replace("KEY", lane["keys"][index])
                status, _ = visitor.ask("GET", address)
                if status != 200:
                    raise SystemExit(f"a segment was answered {status}")
            played[song] += seconds
        form = {
            "revision": str(manifest["revision"]), "source": "fiddle", "target": "near-room",
            "field": "level", "value": f"{rng.uniform(-40, 0):.2f}",
        }  # fmt: skip
        visitor.ask("POST", f"/songs/{song}/sends/set/", form, **{"HX-Request": "true"})
        visitor.ask("GET", f"/songs/{song}/{next(screens)}/")


def _shown(held: dict[str, float]) -> str:
    return ", ".join(f"{name} {mib:.0f} MiB" for name, mib in held.items())


def main() -> int:
    """Play, and return 1 if the memory ever was over the limit."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--minutes", type=float, default=60)
    parser.add_argument("--limit", type=float, default=500)
    parser.add_argument("--port", type=int, default=8194)
    options = parser.parse_args()
    with demo(options.port, "memory") as data:
        visitor = Visitor(options.port)
        visitor.sign_in()
        for _ in range(2):
            visitor.ask("POST", "/songs/new-demo/", {})
        songs: set[int] = set()
        while len(songs) < 3:
            time.sleep(1)
            songs = {int(n) for n in re.findall(r"/songs/(\d+)/", visitor.ask("GET", "/")[1])}
        print(f"at the start {_shown(anonymous_mib(data))}")
        played: dict[int, float] = {}
        listeners = [
            threading.Thread(target=listen, args=(options.port, song, options.minutes, played)) for song in songs
        ]
        for each in listeners:
            each.start()
        most, told = {"web": 0.0, "sound": 0.0}, time.monotonic()
        while any(each.is_alive() for each in listeners):
            time.sleep(0.5)
            now = anonymous_mib(data)
            most = {name: max(held, now[name]) for name, held in most.items()}
            if time.monotonic() > told + 15:
                told = time.monotonic()
                print(f"{min(played.values()) / 60:5.1f} minutes played: {_shown(now)}", flush=True)
        if min(played.values()) < options.minutes * 60:
            raise SystemExit("a listener broke off")
    print(f"most {_shown(most)}; {options.limit:.0f} MiB allowed each")
    return 1 if max(most.values()) > options.limit else 0


if __name__ == "__main__":
    sys.exit(main())
