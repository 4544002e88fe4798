"""What the benchmarks share: songs that stand still at 120."""

from collections.abc import Iterable, Sequence
from typing import Any

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
