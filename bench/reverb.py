"""The reverb alone, as a multiple of real time on one core, beside a general-purpose library's.

Rounds are interleaved and the ratio is taken within each, since the speed of shared machines drifts.
"""

import time
from collections.abc import Callable

import numpy as np
from pedalboard import Pedalboard, Reverb

from highhall.effects.reverb import Reverb as OurReverb
from highhall.plan import Song, Tempo
from highhall.plan.edits import step_of_kind
from highhall.timing import Meter, Position

RATE, SECONDS, ROUNDS = 48000, 20, 9


def seconds_of(run: Callable[[], object]) -> float:
    began = time.perf_counter()
    run()
    return time.perf_counter() - began


def main() -> None:
    song = Song(
        title="Bench",
        sample_rate=RATE,
        meters=(Meter(1, 4, 4),),
        tempos=(Tempo(at=Position(1), bpm=120),),
        end=Position(9),
    )
    noise = (0.1 * np.random.default_rng(0).standard_normal((2, SECONDS * RATE))).astype(np.float32)
    library = Pedalboard([Reverb(room_size=0.7, wet_level=1.0, dry_level=0.0)])
    for space, decay_s in (("plate", 1.6), ("hall", 3.8)):
        reverb = OurReverb(step_of_kind("reverb", "space", {"space": space, "decay_s": decay_s}), song.time)
        runs = (lambda: library(noise, RATE), lambda reverb=reverb: reverb.process(noise, 0))
        for run in runs:
            run()
        times = np.array([[seconds_of(run) for run in runs] for _ in range(ROUNDS)])
        theirs, ours = SECONDS / np.median(times, axis=0)
        ratio = np.median(times[:, 0] / times[:, 1])
        print(
            f"{space:<6}{ours:5.0f} x real time, library {theirs:5.0f} x, {ratio:.2f} of the library in the same round"
        )


if __name__ == "__main__":
    main()
