"""What the benchmarks share: songs that stand still at 120, work timed in turn, and figures with their bars."""

import time
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from highhall.plan import Plan, Song, Tempo, plan_from_document
from highhall.timing import Meter, Position

RATE = 48000
BARS_A_MINUTE = 30
SONG = Song(
    title="Bench",
    sample_rate=RATE,
    meters=(Meter(1, 4, 4),),
    tempos=(Tempo(at=Position(1), bpm=120),),
    end=Position(99),
)
TONE = {
    "kind": "tone",
    "params": {
        "bands": [
            {"shape": "low_cut", "hz": 200},
            {"shape": "bell", "hz": 2500, "gain_db": -3},
            {"shape": "high_cut", "hz": 9000},
        ]
    },
}
Effects = Sequence[dict[str, Any]]


@dataclass(frozen=True, slots=True, kw_only=True)
class Figure:
    """A figure of all rounds, and the bar it is held against: the least or, for what should be small, the most that was asked."""

    name: str
    values: tuple[float, ...]
    unit: str
    bar: float | None = None
    is_less_better: bool = False
    beside: str = ""

    @property
    def median(self) -> float:
        """The figure itself."""
        return float(np.median(self.values))

    @property
    def spread(self) -> tuple[float, float]:
        """The lowest and the highest round."""
        return min(self.values), max(self.values)

    @property
    def is_reached(self) -> bool:
        """Whether the bar is reached."""
        return self.bar is None or (self.median <= self.bar if self.is_less_better else self.median >= self.bar)

    def __str__(self) -> str:
        low, high = self.spread
        spread = f"({low:.4g} to {high:.4g})" if len(self.values) > 1 else ""
        asked = "" if self.bar is None else f"asked {self.bar:g}{'' if self.is_reached else ', NOT REACHED'}"
        return f"{self.name:44}{self.median:9.4g} {self.unit:12}{spread:24}{asked:22}{self.beside}".rstrip()


def in_turn(works: Sequence[Callable[[], object]], rounds: int) -> NDArray[np.float64]:
    """Return the seconds that each work takes, (rounds, works): once each before, then in turn, since machines drift."""
    for work in works:
        work()
    return np.array([[_seconds_of(work) for work in works] for _ in range(rounds)])


def _seconds_of(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def song_plan(minutes: int, tracks: int, chains: Sequence[Effects], sends: Iterable[dict[str, Any]]) -> Plan:
    """Return a plan of tracks t0, t1 ... and returns r0, r1 ..., a tone of three bands at the end of each chain."""
    bars = minutes * BARS_A_MINUTE
    sections = [
        {"id": f"s{n}", "start": f"{1 + n * bars // 8}|1", "end": f"{1 + (n + 1) * bars // 8}|1"} for n in range(8)
    ]
    return plan_from_document(
        {
            "format": "high-hall-plan", "version": 1,
            "song": {
                "title": "Bench", "sample_rate": RATE, "meters": [{"bar": 1, "beats": 4, "unit": 4}],
                "tempos": [{"at": "1|1", "bpm": 120}], "sections": sections, "end": f"{bars + 1}|1",
            },
            "tracks": [{"id": f"t{n}", "stem": f"{n}.wav", "level_db": -6} for n in range(tracks)],
            "returns": [{"id": f"r{n}", "chain": [*chain, TONE]} for n, chain in enumerate(chains)],
            "sends": list(sends),
        }
    )  # fmt: skip
