"""The crush effect: coarser words, and samples held as by a slower converter. The aliases are meant.

A sample is taken whenever the phase of `rate_hz`, counted from 1|1, passes a whole number.
"""

import numpy as np
from numba import njit

from highhall.curves import EffectCurves
from highhall.effects.mix import mixed
from highhall.effects.signals import Coefficients, Signal, WholeNumbers


@njit("void(float32[::1], float32[::1], int64[::1], float64[::1])", nogil=True, cache=True)
def _hold(source: Signal, out: Signal, counts: WholeNumbers, held: Coefficients) -> None:
    """Hold one side's sample while `counts` stays; held (2,): the count and the sample held."""
    count, sample = held[0], held[1]
    for n in range(source.shape[0]):
        if counts[n] != count:
            count, sample = counts[n], source[n]
        out[n] = sample
    held[0], held[1] = count, sample


class Crush:
    """A crush effect. See `highhall.effects.processor.Processor`."""

    longest_gap_s = 0.0

    def __init__(self, effect: EffectCurves) -> None:
        self._bits, self._rate, self._mix = effect.curve("bits"), effect.curve("rate_hz"), effect.curve("mix")
        self._held = np.full((2, 2), -1.0)
        self._held[:, 1] = 0.0
        self._sample_rate = effect.sample_rate
        self.memory_s = 1 / self._rate.extremes[0]

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the coarser block, (2, frames)."""
        stop = start_sample + block.shape[1]
        out = block.copy()
        if self._rate.extremes[0] < self._sample_rate:
            counts = np.floor(self._rate.phases(np.arange(start_sample, stop)) + 1e-9).astype(np.int64)
            for side in range(2):
                _hold(np.ascontiguousarray(block[side]), out[side], counts, self._held[side])
        steps = 2 ** (self._bits.values(start_sample, stop) - 1)
        coarse: Signal = (np.round(out * steps) / steps).astype(np.float32)
        return mixed(block, coarse, self._mix, start_sample)
