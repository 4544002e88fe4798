"""Capacity: what listening and editing cost each kind of process, and what a thousand rooms would need.

Usage: bin/bench capacity [--processes 2 4 8] [--editors 4 12] [--seconds 30] [--rooms 1000] [--port 8196]

For each number of processes, half for web and half for sound, it starts bin/demo, and has songs played and edited as `bench/fleet.py` does.
Two laws make the model. *Utilisation*: the time that a kind of process computes, divided by what was done meanwhile, is what one such thing
costs; costs times rates are processors. *Waiting* (Erlang, M/M/c): what takes S on idle processors takes S + C(c, a) S / (c (1 - a / c))
on c processors that a of are busy. S is fitted to the fewest editors of the first run; all other runs are predicted, and measured.
The clients are on the same machine, so their processors count as busy. It fails if a prediction is off by more than a factor of two.
Memory is what a process holds for itself (proportional set size) after the last run; disk is what the database has grown by, a revision an edit.
"""

import argparse
import math
import os
import statistics
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from bench.fleet import edit, in_processes, listen, songs_of
from bench.visitors import Visitor, demo, processes

_TICKS = os.sysconf("SC_CLK_TCK")
KINDS = ("front", "web", "sound", "database")
ROOM_EDITS_S = 1 / 10
ROOM_LANES = 7
ROOM_SEGMENTS_S = ROOM_LANES / 2
SEGMENT_MB = 0.25


@dataclass(frozen=True)
class Load:
    """What was done in some seconds, and the processor seconds that it took, by kind; `clients` are ours.

    grown_bytes: what the database needs more of the disk than before.
    """

    seconds: float
    done: int
    cpu_s: dict[str, float]
    clients_s: float
    answers: Any
    grown_bytes: int

    @property
    def busy(self) -> float:
        """How many processors were busy."""
        return (sum(self.cpu_s.values()) + self.clients_s) / self.seconds

    def cost_ms(self, kind: str) -> float:
        """Return the processor milliseconds of one thing that was done."""
        return self.cpu_s[kind] / self.done * 1000


def cpu_s(data: Path) -> dict[str, float]:
    """Return the processor seconds that each kind of process has used so far."""
    alive = processes(data)
    return {kind: sum(map(_cpu_of, _without_children(alive[kind]))) for kind in KINDS}


def _without_children(numbers: list[int]) -> list[int]:
    children = {child for number in numbers for child in _children(number)}
    return [number for number in numbers if number not in children]


def _children(number: int) -> list[int]:
    try:
        return [int(child) for child in Path(f"/proc/{number}/task/{number}/children").read_text().split()]
    except OSError:
        return []


def _cpu_of(number: int) -> float:
    """Return what a process has used, with all that it has started, be they alive or ended (proc(5), stat, fields 14 to 17)."""
    try:
        fields = Path(f"/proc/{number}/stat").read_text().rpartition(")")[2].split()
    except OSError:
        return 0.0
    return sum(map(int, fields[11:15])) / _TICKS + sum(map(_cpu_of, _children(number)))


def measured(
    data: Path, work: Callable[..., Any], arguments: list[tuple[Any, ...]], count: Callable[[Any], int]
) -> Load:
    """Do something in processes, and return what it took."""
    before, ours, began, size = cpu_s(data), os.times(), time.monotonic(), _database_bytes(data)
    answers = in_processes(work, arguments)
    seconds, after, now = time.monotonic() - began, cpu_s(data), os.times()
    clients = now.children_user + now.children_system - ours.children_user - ours.children_system
    used = {kind: after[kind] - before[kind] for kind in KINDS}
    return Load(seconds, sum(map(count, answers)), used, clients, answers, _database_bytes(data) - size)


def _database_bytes(data: Path) -> int:
    return sum(path.stat().st_size for path in (data / "postgres" / "base").rglob("*") if path.exists())


def memory_mib(data: Path) -> dict[str, float]:
    """Return how much the largest process of each kind holds."""
    return {kind: max(map(_pss_mib, numbers)) for kind, numbers in processes(data).items() if kind in KINDS}


def _pss_mib(number: int) -> float:
    text = Path(f"/proc/{number}/smaps_rollup").read_text()
    return int(text.partition("Pss:")[2].split()[0]) / 1024


def waited(service_ms: float, busy: float, processors: int) -> float:
    """Return how long something takes on processors of which some are busy (Erlang C; Kleinrock, Queueing Systems 1, 3.5)."""
    busy = min(busy, 0.98 * processors)
    terms = [busy**k / math.factorial(k) for k in range(processors)]
    all_busy = busy**processors / math.factorial(processors) * processors / (processors - busy)
    return service_ms * (1 + all_busy / (sum(terms) + all_busy) / (processors - busy))


def fitted(response_ms: float, busy: float, processors: int) -> float:
    """Return the service time that `waited` makes a response time of."""
    return response_ms / waited(1.0, busy, processors)


def main() -> int:
    """Measure, predict, and return 1 if a prediction is far off."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--processes", type=int, nargs="+", default=[2, 4, 8])
    parser.add_argument("--editors", type=int, nargs="+", default=[4, 12])
    parser.add_argument("--seconds", type=float, default=30)
    parser.add_argument("--rooms", type=int, default=1000)
    parser.add_argument("--port", type=int, default=8196)
    options = parser.parse_args()
    processors = os.cpu_count() or 1
    service_ms, worst, costs = None, 1.0, {}
    for count in options.processes:
        os.environ |= {"HH_WEB_PROCESSES": str(count // 2), "HH_SOUND_PROCESSES": str(count // 2)}
        with demo(options.port, "capacity") as data:
            visitor = Visitor(options.port)
            visitor.sign_in()
            songs = songs_of(visitor, max(options.editors))
            asked = [(visitor, songs[:2], seed, options.seconds) for seed in range(30)]
            in_processes(listen, asked)
            played = measured(data, listen, asked, lambda answer: len(answer[0]))
            took = [each for times, _ in played.answers for each in times]
            print(
                f"{count} processes: 30 listeners, a segment in {statistics.median(took):.1f} ms, costs {_shown(played)}"
            )
            for editors in options.editors:
                load = measured(data, edit, [(visitor, song, options.seconds) for song in songs[:editors]], len)
                response = statistics.median(each for times in load.answers for each in times)
                if service_ms is None:
                    service_ms = fitted(response, load.busy, processors)
                predicted = waited(service_ms, load.busy, processors)
                worst = max(worst, predicted / response, response / predicted)
                print(
                    f"{count} processes, {editors} editors: heard after {response:.0f} ms, predicted {predicted:.0f} ms; "
                    f"{load.busy:.2f} of {processors} processors busy, an edit with what is heard of it costs {_shown(load)}",
                    flush=True,
                )
            costs, memory = {"segment": played, "edit": load}, memory_mib(data)
    _predict(options.rooms, costs, memory)
    print(f"the worst prediction is off by a factor of {worst:.2f}")
    return 1 if worst > 2 else 0


def _shown(load: Load) -> str:
    return ", ".join(f"{kind} {load.cost_ms(kind):.2f}" for kind in KINDS) + " ms"


def _predict(rooms: int, costs: dict[str, Load], memory: dict[str, float]) -> None:
    """Print what rooms need that each play all the time and edit every ten seconds."""
    needed = {
        kind: rooms
        * (ROOM_SEGMENTS_S * costs["segment"].cost_ms(kind) + ROOM_EDITS_S * costs["edit"].cost_ms(kind))
        / 1000
        for kind in KINDS
    }
    print(
        f"{rooms} rooms, each playing {ROOM_LANES} lanes and edited every {1 / ROOM_EDITS_S:.0f} s, need, at 70 % of each processor:"
    )
    for kind, busy in sorted(needed.items(), key=lambda item: -item[1]):
        print(f"  {kind}: {busy / 0.7:.1f} processors; a process holds up to {memory[kind]:.0f} MiB")
    print(f"  {rooms * ROOM_SEGMENTS_S * SEGMENT_MB * 8 / 1000:.1f} Gbit/s of segments")
    an_edit = costs["edit"].grown_bytes / costs["edit"].done
    print(
        f"  {an_edit / 1000:.0f} kB of the database's disk an edit: {an_edit * rooms * ROOM_EDITS_S * 8 * 3600 / 1e9:.0f} GB in a day of eight hours"
    )


if __name__ == "__main__":
    sys.exit(main())
