"""The leveler effect: evens out levels, both sides alike.

The level is the larger side's magnitude. Over the threshold the gain computer takes away (1 - 1 / ratio) of
what is over, and the result is smoothed in dB, with the attack while it grows and the release while it falls
(times to 63 %).

References
----------
D. Giannoulis, M. Massberg, J. D. Reiss, "Digital dynamic range compressor design: a tutorial and analysis",
J. Audio Eng. Soc. 60(6), 2012: log-domain, smooth branching detector.
"""

import math

import numpy as np
from numba import njit

from highhall.curves import EffectCurves
from highhall.effects.signals import Coefficients, Signal

_SILENCE = 1e-6


@njit("void(float64[::1], float64, float64, float64[::1])", nogil=True, cache=True)
def _smooth(taken_db: Coefficients, attack: float, release: float, state: Coefficients) -> None:
    """Smooth what is to be taken away, (frames,), in place; state (1,): what was taken away last."""
    taken = state[0]
    for n in range(taken_db.shape[0]):
        wanted = taken_db[n]
        growing = attack * taken + (1 - attack) * wanted  # both at once: which is wanted cannot be guessed
        falling = release * taken + (1 - release) * wanted
        taken = growing if wanted > taken else falling
        taken_db[n] = taken
    state[0] = taken


class Leveler:
    """A leveler effect. See `highhall.effects.processor.Processor`."""

    falling_s = longest_gap_s = 0.0

    def __init__(self, effect: EffectCurves) -> None:
        self._threshold, self._makeup_db = effect.curve("threshold_db"), effect.curve("makeup_db")
        attack_ms, release_ms = effect.effect.number("attack_ms"), effect.effect.number("release_ms")
        self._attack, self._release = (math.exp(-1000 / (ms * effect.sample_rate)) for ms in (attack_ms, release_ms))
        self._share = 1 - 1 / effect.effect.number("ratio")
        self._state = np.zeros(1)
        self.memory_s = 12 * (attack_ms + release_ms) / 1000

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the levelled block, (2, frames)."""
        stop = start_sample + block.shape[1]
        magnitude = np.maximum(np.abs(block).max(axis=0), _SILENCE, dtype=np.float64)
        over_db = 20 * np.log10(magnitude / self._threshold.values(start_sample, stop))
        taken_db = np.maximum(over_db, 0.0) * self._share
        _smooth(taken_db, self._attack, self._release, self._state)
        gain = 10 ** ((self._makeup_db.values(start_sample, stop) - taken_db) / 20)
        out: Signal = block * gain.astype(np.float32)
        return out
