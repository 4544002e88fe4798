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


@njit(
    "void(float32[:,::1], float64[::1], float64[::1], float64, float64, float64, float64[::1])", nogil=True, cache=True
)  # fmt: skip
def _level(
    source: Signal, threshold: Coefficients, gain: Coefficients, share: float, attack: float, release: float,
    state: Coefficients,
) -> None:  # fmt: skip
    """Write the gain, (frames,), for (2, frames). share: of the excess that is taken away; state (1,): dB taken away."""
    taken = state[0]
    for n in range(source.shape[1]):
        magnitude = max(max(abs(source[0, n]), abs(source[1, n])), _SILENCE)
        wanted = max(20 * math.log10(magnitude / threshold[n]), 0.0) * share
        slowness = attack if wanted > taken else release
        taken = slowness * taken + (1 - slowness) * wanted
        gain[n] = 10 ** (-taken / 20)
    state[0] = taken


class Leveler:
    """A leveler effect. See `highhall.effects.processor.Processor`."""

    longest_gap_s = 0.0

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
        gain = np.empty(block.shape[1])
        source = np.ascontiguousarray(block)
        _level(
            source,
            self._threshold.values(start_sample, stop),
            gain,
            self._share,
            self._attack,
            self._release,
            self._state,
        )
        makeup = 10 ** (self._makeup_db.values(start_sample, stop) / 20)
        out: Signal = block * (gain * makeup).astype(np.float32)
        return out
