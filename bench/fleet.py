"""A fleet of listeners and editors against a running front: how fast segments come, and how soon an edit is heard.

Usage: bin/bench fleet [--port 8000] [--listeners 50] [--editors 10] [--seconds 30]

Three runs, each a row. *Cached*: as many segments as come, by a few connections, of stretches that were rendered before. *Listeners*: each
plays another stretch, with all lanes of every two seconds asked for together, three seconds ahead, as the player does; a segment is late
that comes when it should sound already. *Editors*: each has a demo song of their own and plays it, and every four seconds sets a send to
a level that it never had; the time runs from the edit to the last byte of the changed segment at the play position. The clients are
processes on the same machine and take their share of it. It fails where one of these is missed: 1,000 a second, 30 ms with none late,
400 ms.
"""

import argparse
import http.client
import json
import multiprocessing
import random
import re
import statistics
import sys
import time
from collections.abc import Callable
from typing import Any

from bench.visitors import Visitor

AHEAD_S = 3.0
_EDIT_EVERY_S = 4.0


class Player:
    """A browser that plays one song: it has the song's list of segments, and one connection."""

    def __init__(self, visitor: Visitor, song: int) -> None:
        self.visitor, self.song = visitor, song
        self._connection = http.client.HTTPConnection("127.0.0.1", visitor.port, timeout=60)
        self.take_list()

    def take_list(self) -> None:
        """Ask for the newest list of segments."""
        listed = json.loads(self.visitor.ask("GET", f"/songs/{self.song}/manifest/")[1])
        self.revision, self.lanes = listed["revision"], {lane["id"]: lane for lane in listed["lanes"]}
        self.segment_s = listed["segmentFrames"] / listed["sampleRate"]
        self.count = len(listed["lanes"][0]["keys"])

    def segment(self, address: str) -> int:
        """Fetch a segment; return its bytes."""
        for attempt in (1, 2):
            try:
                self._connection.request("GET", address, headers={"Cookie": self.visitor.cookie})
                answer = self._connection.getresponse()
                content = answer.read()
            except (OSError, http.client.HTTPException):
                self._connection.close()
                if attempt == 2:
                    raise
                continue
            if answer.status != 200:
                raise RuntimeError(f"{address}: {answer.status}")
            return len(content)
        return 0

    def addresses(self, index: int) -> list[str]:
        """Return the addresses of all lanes' segments."""
        return [
            lane["url"].replace("INDEX", str(index)).replace("KEY", lane["keys"][index]) for lane in self.lanes.values()
        ]


def in_processes(work: Callable[..., Any], arguments: list[tuple[Any, ...]]) -> list[Any]:
    """Return what each process has made of its arguments."""
    with multiprocessing.get_context("spawn").Pool(len(arguments)) as pool:
        return pool.starmap(work, arguments)


def fetch_cached(visitor: Visitor, song: int, seconds: float) -> int:
    """Fetch the same stretch again and again; return how many segments came."""
    player = Player(visitor, song)
    addresses = [address for index in range(6) for address in player.addresses(index)]
    for address in addresses:
        player.segment(address)
    over, count = time.monotonic() + seconds, 0
    while time.monotonic() < over:
        player.segment(addresses[count % len(addresses)])
        count += 1
    return count


def listen(visitor: Visitor, songs: list[int], seed: int, seconds: float) -> tuple[list[float], int]:
    """Play a stretch in real time; return the milliseconds that segments took, and how many came too late."""
    rng = random.Random(seed)
    player = Player(visitor, songs[seed % len(songs)])
    first = rng.randrange(max(player.count - int(seconds / player.segment_s) - 4, 1))
    time.sleep(rng.uniform(0, player.segment_s))
    began, took, late = time.monotonic(), [], 0
    for number in range(int(seconds / player.segment_s)):
        wanted_at = began + number * player.segment_s - AHEAD_S
        time.sleep(max(wanted_at - time.monotonic(), 0))
        for address in player.addresses(min(first + number, player.count - 1)):
            asked = time.monotonic()
            player.segment(address)
            now = time.monotonic()
            took.append((now - max(asked, wanted_at)) * 1000)
            late += now > max(began + number * player.segment_s, began + 1.0)
    return took, late


def edit(visitor: Visitor, song: int, seconds: float) -> list[float]:
    """Edit a song that plays; return the milliseconds from each edit to its sound."""
    rng, player, heard = random.Random(song), Player(visitor, song), []
    over, index = time.monotonic() + seconds, 4
    time.sleep(rng.uniform(0, _EDIT_EVERY_S))
    while time.monotonic() < over:
        form = {
            "revision": str(player.revision), "source": "fiddle", "target": "near-room",
            "field": "level", "value": f"{rng.uniform(-40, 0):.4f}",
        }  # fmt: skip
        sample = round((index + 0.5) * player.segment_s * 48000)
        began = time.monotonic()
        status, text, headers = player.visitor.answer(
            "POST", f"/songs/{song}/sends/set/", form, **{"HX-Request": "true", "Play-Sample": str(sample)}
        )
        if status not in (200, 204):
            raise RuntimeError(f"an edit was answered {status}: {text[:200]}")
        told = json.loads(headers["HX-Trigger"])["plan-changed"]["ahead"]
        key = told["keys"]["near-room"][0]
        player.segment(told["url"].replace("LANE", "near-room").replace("INDEX", str(index)).replace("KEY", key))
        heard.append((time.monotonic() - began) * 1000)
        player.take_list()
        index = 4 + (index - 3) % (player.count - 6)
        time.sleep(rng.uniform(0.5, 1.5) * _EDIT_EVERY_S)
    return heard


def songs_of(visitor: Visitor, count: int) -> list[int]:
    """Return the demo's songs, after making as many as are wanted."""

    def there() -> list[int]:
        return sorted({int(number) for number in re.findall(r"/songs/(\d+)/returns/", visitor.ask("GET", "/")[1])})

    for _ in range(count - len(there())):
        visitor.ask("POST", "/songs/new-demo/", {})
    return there()


def main() -> int:
    """Run the three, and return 1 if one of them misses its limit."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--port", type=int, default=8000)
    parser.add_argument("--listeners", type=int, default=50)
    parser.add_argument("--editors", type=int, default=10)
    parser.add_argument("--seconds", type=float, default=30)
    options = parser.parse_args()
    visitor, seconds = Visitor(options.port), options.seconds
    visitor.sign_in()
    songs = songs_of(visitor, options.editors)
    counts = in_processes(fetch_cached, [(visitor, songs[0], seconds / 2)] * 3)
    rate = sum(counts) / (seconds / 2)
    print(f"cached: {rate:.0f} segments a second")
    asked = [(visitor, songs[:2], seed, seconds) for seed in range(options.listeners)]
    in_processes(listen, asked)  # so that what they play is there
    played = in_processes(listen, asked)
    took = sorted(each for times, _ in played for each in times)
    late = sum(count for _, count in played)
    median = statistics.median(took)
    print(f"{options.listeners} listeners: median {median:.1f} ms, 99 of 100 in {took[len(took) * 99 // 100]:.0f} ms, slowest {took[-1]:.0f} ms, {late} of {len(took)} late")  # fmt: skip
    heard = [each for times in in_processes(edit, [(visitor, song, seconds) for song in songs[: options.editors]]) for each in times]  # fmt: skip
    edits = statistics.median(heard)
    print(f"{options.editors} editors: an edit heard after {edits:.0f} ms (median of {len(heard)}), slowest {max(heard):.0f} ms")  # fmt: skip
    return 0 if rate >= 1000 and median < 30 and not late and edits <= 400 else 1


if __name__ == "__main__":
    sys.exit(main())
