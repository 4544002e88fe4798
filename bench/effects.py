"""Every kind of effect as a multiple of real time on one core, beside a general-purpose library's counterpart.

Ours run in blocks as the engine's do, the library's on the whole sound at once. Rounds are interleaved and the ratio
is taken within each, since the speed of shared machines drifts.
"""

import time
from collections.abc import Callable
from typing import Any

import numpy as np
import pedalboard as library
from bench.common import RATE, SONG
from scipy import signal

from highhall.curves import EffectCurves
from highhall.effects import Processor, processor_of
from highhall.effects.tone import sections_of
from highhall.plan.edits import effect_of_kind
from highhall.render.engine import BLOCK_FRAMES

SECONDS, ROUNDS = 20, 7
BANDS = [
    {"shape": "low_cut", "hz": 120}, {"shape": "bell", "hz": 400, "gain_db": -3}, {"shape": "bell", "hz": 2500, "gain_db": 2},
    {"shape": "high_cut", "hz": 9000},
]  # fmt: skip
NOISE = (0.1 * np.random.default_rng(0).standard_normal((2, SECONDS * RATE))).astype(np.float32)


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
CASES: list[tuple[str, str, dict[str, Any], str, Callable[[], object] | None]] = [
    *(
        (f"reverb, {space}", "reverb", {"space": space, "decay_s": 2.5}, "reverb", theirs(library.Reverb(room_size=0.7, wet_level=1, dry_level=0)))
        for space in ("room", "chamber", "plate", "hall", "cathedral")
    ),
    ("reverb, its tail shifted", "reverb", {"space": "hall", "decay_s": 2.5, "shift_semitones": 12, "shift_feed": 0.5}, "", None),
    ("impulse, 3 s", "impulse", {"ir": "ir"}, "convolution", theirs(library.Convolution(IR, 1.0, RATE))),
    ("echo", "echo", {"left": "1/8.", "right": "1/4", "feedback": 0.4}, "delay", theirs(library.Delay(0.375, 0.4, 1.0))),
    ("echo, cuts and cross", "echo", {"left": "1/8.", "right": "1/4", "feedback": 0.4, "cross": 0.5, "low_cut_hz": 150, "high_cut_hz": 5000}, "delay", theirs(library.Delay(0.375, 0.4, 1.0))),
    ("echo, wow and drive", "echo", {"left": "1/8.", "right": "1/4", "feedback": 0.4, "wow_depth_ms": 1, "drive": 0.3}, "", None),
    ("offset", "offset", {}, "", None),
    ("doubler", "doubler", {}, "pitch shift", theirs(library.PitchShift(0.07))),
    ("chorus, 2 voices", "chorus", {}, "chorus", theirs(library.Chorus())),
    ("flanger", "flanger", {}, "chorus", theirs(library.Chorus(centre_delay_ms=2, feedback=0.3))),
    ("autopan", "autopan", {}, "", None),
    ("width, bass mono", "width", {"width": 1.3, "bass_mono_hz": 120}, "", None),
    ("drive, four times oversampled", "drive", {}, "distortion, not oversampled", theirs(library.Distortion(9))),
    ("crush", "crush", {}, "bit crush, no rate", theirs(library.Bitcrush(10))),
    ("tone, 4 bands", "tone", {"bands": BANDS}, "scipy.signal.sosfilt", sosfilt()),
    ("leveler", "leveler", {}, "compressor", theirs(library.Compressor(-24, 3))),
    ("duck", "duck", {"key": "voice"}, "", None),
]  # fmt: skip


def run(processor: Processor) -> None:
    for start in range(0, NOISE.shape[1], BLOCK_FRAMES):
        block = np.ascontiguousarray(NOISE[:, start : start + BLOCK_FRAMES])
        if hasattr(processor, "hear"):
            processor.hear(block)
        processor.process(block, start)


def seconds_of(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def main() -> None:
    for name, kind, params, counterpart, other in CASES:
        processor = processor_of(EffectCurves(effect_of_kind(kind, "effect", params), SONG), {"ir": IR})
        works = [lambda processor=processor: run(processor), *([other] if other else [])]
        for work in works:
            work()
        times = np.array([[seconds_of(work) for work in works] for _ in range(ROUNDS)])
        ours = SECONDS / np.median(times[:, 0])
        line = f"{name:30}{ours:6.0f} x real time"
        if other:
            ratio = np.median(times[:, 1] / times[:, 0])
            line += f"   {counterpart} {SECONDS / np.median(times[:, 1]):5.0f} x: {ratio:.2f} times it"
        print(line, flush=True)


if __name__ == "__main__":
    main()
