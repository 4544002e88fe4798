"""The reverb alone, as a multiple of real time on one core, beside a general-purpose library's in the same run."""

import time
from collections.abc import Callable

import numpy as np
from pedalboard import Pedalboard, Reverb

from highhall.effects.reverb import Reverb as OurReverb
from highhall.plan import Song, Tempo
from highhall.plan.edits import step_of_kind
from highhall.timing import Meter, Position

RATE, SECONDS, ROUNDS = 48000, 30, 5


def median_speed(run: Callable[[], object]) -> float:
    run()
    times = []
    for _ in range(ROUNDS):
        began = time.perf_counter()
        run()
        times.append(time.perf_counter() - began)
    return SECONDS / float(np.median(times))


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
    reference = median_speed(lambda: library(noise, RATE))
    print(f"library reverb      {reference:6.0f} x real time")
    for space, decay_s in (("plate", 1.6), ("hall", 3.8)):
        step = step_of_kind("reverb", "space", {"space": space, "decay_s": decay_s})
        reverb = OurReverb(step, song.time)
        ours = median_speed(lambda reverb=reverb: reverb.process(noise, 0))
        print(f"{space:<8} {decay_s} s      {ours:6.0f} x real time, {ours / reference:.2f} of the library")


if __name__ == "__main__":
    main()
