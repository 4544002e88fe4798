"""How long a return's picture takes: rendered at first show (wanted below 50 ms) and predicted for a hand (below 15 ms)."""

import time
from collections.abc import Callable

import numpy as np
from bench.common import SONG

from highhall.measure.pictures import picture_of
from highhall.measure.predictions import chain_response_db, decays_of, echo_repeats, tail_end_s
from highhall.plan import Effect, Return
from highhall.plan.edits import effect_of_kind
from highhall.timing import Position

ROUNDS = 15
HZ = np.geomspace(20, 20000, 200)
TONE = effect_of_kind(
    "tone", "tone", {"bands": [{"shape": "low_cut", "hz": 200}, {"shape": "bell", "hz": 2500, "gain_db": -3}]}
)
CHAINS = {
    "hall, 4 s": effect_of_kind("reverb", "hall", {"space": "hall", "decay_s": 4.0, "low_ratio": 1}),
    "plate, 1.5 s": effect_of_kind("reverb", "plate", {"space": "plate", "decay_s": 1.5}),
    "echo": effect_of_kind("echo", "echo", {"left": "1/8.", "right": "1/4", "feedback": 0.5, "cross": 0.3}),
}


def milliseconds(work: Callable[..., object], *arguments: object) -> float:
    times = []
    for _ in range(ROUNDS):
        began = time.perf_counter()
        work(*arguments)
        times.append(time.perf_counter() - began)
    return 1000 * float(np.median(times))


def predict(return_: Return, effect: Effect) -> None:
    chain_response_db(return_, HZ, SONG.sample_rate)
    tail_end_s(return_, SONG, Position(1))
    if effect.kind == "echo":
        echo_repeats(effect, SONG, Position(1))
    else:
        decays_of(effect, SONG.sample_rate)


def main() -> None:
    for name, effect in CHAINS.items():
        return_ = Return(id="r", name="R", chain=(effect, TONE))
        picture_of(return_, SONG)
        shown, predicted = milliseconds(picture_of, return_, SONG), milliseconds(predict, return_, effect)
        print(f"{name:14} rendered {shown:5.1f} ms   predicted {predicted:5.1f} ms")


if __name__ == "__main__":
    main()
