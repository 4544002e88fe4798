"""Every kind of effect as a multiple of real time on one core, beside a general-purpose library's counterpart.

Ours run in blocks as the engine's do, the library's on the whole sound at once. Rounds are interleaved and the ratio
is taken within each, since the speed of shared machines drifts. Arguments, if any, choose effects by how their names begin.
"""

import sys
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import partial
from typing import Any

import numpy as np
import pedalboard as library
from bench.common import RATE, SONG, Figure, in_turn
from scipy import signal

from highhall.curves import EffectCurves
from highhall.effects import Processor, processor_of
from highhall.effects.tone import sections_of
from highhall.plan.edits import effect_of_kind
from highhall.render.engine import BLOCK_FRAMES

FRAMES, ROUNDS = 7 * BLOCK_FRAMES, 7
SECONDS = FRAMES / RATE
BANDS = [
    {"shape": "low_cut", "hz": 120}, {"shape": "bell", "hz": 400, "gain_db": -3}, {"shape": "bell", "hz": 2500, "gain_db": 2},
    {"shape": "high_cut", "hz": 9000},
]  # fmt: skip
NOISE = (0.1 * np.random.default_rng(0).standard_normal((2, FRAMES))).astype(np.float32)


def response(seconds: float) -> np.ndarray:
    time_s = np.arange(int(seconds * RATE)) / RATE
    noise = np.random.default_rng(1).standard_normal((2, len(time_s))) * 10 ** (-3 * time_s / seconds)
    return (0.05 * noise).astype(np.float32)


def theirs(*plugins: library.Plugin) -> Callable[[], object]:
    board = library.Pedalboard(list(plugins))
    return lambda: board(NOISE, RATE)


def sosfilt() -> Callable[[], object]:
    rows = sections_of(effect_of_kind("tone", "s", {"bands": BANDS}).filters, RATE)
    sections = np.concatenate([rows[:, :3], np.ones((len(rows), 1)), rows[:, 3:]], axis=1)
    return lambda: signal.sosfilt(sections, NOISE, axis=1)


IR = response(3.0)
REVERB = theirs(library.Reverb(room_size=0.7, wet_level=1, dry_level=0))
CHORUS = theirs(library.Chorus())
ECHO = {"left": "1/8.", "right": "1/4", "feedback": 0.4}


@dataclass(frozen=True, slots=True, kw_only=True)
class Case:
    """An effect, the library's counterpart if it has one, and what is asked: so many times the library, or times real time."""

    name: str
    kind: str
    params: dict[str, Any] = field(default_factory=dict)
    counterpart: str = ""
    other: Callable[[], object] | None = None
    times: float | None = None
    speed: float | None = None


CASES = (
    *(
        Case(name=f"reverb, {space}", kind="reverb", params={"space": space, "decay_s": 2.5}, counterpart="reverb", other=REVERB, times=3)
        for space in ("room", "chamber", "plate", "hall", "cathedral")
    ),
    Case(name="reverb, its tail shifted", kind="reverb", params={"space": "hall", "decay_s": 2.5, "shift_semitones": 12, "shift_feed": 0.5}, speed=120),
    Case(name="impulse, 3 s", kind="impulse", params={"ir": "ir"}, counterpart="convolution", other=theirs(library.Convolution(IR, 1.0, RATE)), times=4, speed=200),
    Case(name="echo", kind="echo", params=ECHO, counterpart="delay", other=theirs(library.Delay(0.375, 0.4, 1.0))),
    Case(name="echo, cuts and cross", kind="echo", params={**ECHO, "cross": 0.5, "low_cut_hz": 150, "high_cut_hz": 5000}, counterpart="delay", other=theirs(library.Delay(0.375, 0.4, 1.0))),
    Case(name="echo, wow and drive", kind="echo", params={**ECHO, "wow_depth_ms": 1, "drive": 0.3}),
    Case(name="offset", kind="offset"),
    Case(name="doubler", kind="doubler", counterpart="pitch shift", other=theirs(library.PitchShift(0.07))),
    Case(name="chorus, 2 voices", kind="chorus", counterpart="chorus", other=CHORUS),
    Case(name="flanger", kind="flanger", counterpart="chorus", other=theirs(library.Chorus(centre_delay_ms=2, feedback=0.3)), times=1),
    Case(name="autopan", kind="autopan"),
    Case(name="width, bass mono", kind="width", params={"width": 1.3, "bass_mono_hz": 120}),
    Case(name="drive, four times oversampled", kind="drive", counterpart="distortion, not oversampled", other=theirs(library.Distortion(9)), speed=150),
    Case(name="crush", kind="crush", counterpart="bit crush, no rate", other=theirs(library.Bitcrush(10)), times=1),
    Case(name="tone, 4 bands", kind="tone", params={"bands": BANDS}, counterpart="scipy.signal.sosfilt", other=sosfilt()),
    Case(name="leveler", kind="leveler", counterpart="compressor", other=theirs(library.Compressor(-24, 3)), times=1),
    Case(name="duck", kind="duck", params={"key": "voice"}),
)  # fmt: skip


def run(processor: Processor) -> None:
    for start in range(0, NOISE.shape[1], BLOCK_FRAMES):
        block = np.ascontiguousarray(NOISE[:, start : start + BLOCK_FRAMES])
        if hasattr(processor, "hear"):
            processor.hear(block)
        processor.process(block, start)


def figures(*names: str) -> Iterator[Figure]:
    """Yield the speed of every effect whose name begins by one of `names`, all without them, then as a multiple of the library's."""
    for case in CASES:
        if case.name.startswith(names or ""):
            effect = effect_of_kind(case.kind, "effect", case.params)
            ours = partial(run, processor_of(EffectCurves(effect, SONG), {"ir": IR}))
            times = in_turn([ours, *([case.other] if case.other else [])], ROUNDS)
            yield Figure(name=case.name, values=tuple(SECONDS / times[:, 0]), unit="x real time", bar=case.speed)
            if case.other:
                ratios = tuple(times[:, 1] / times[:, 0])
                beside = f"{case.counterpart}, {SECONDS / np.median(times[:, 1]):.0f} x real time"
                yield Figure(name=case.name, values=ratios, unit="x library", bar=case.times, beside=beside)


def main() -> None:
    for figure in figures(*sys.argv[1:]):
        print(figure, flush=True)


if __name__ == "__main__":
    main()
