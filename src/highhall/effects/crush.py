"""The crush effect: coarser words, and samples held as by a slower converter. The aliases are meant.

A sample is taken whenever the phase of `rate_hz`, counted from 1|1, passes a whole number.
"""

import numpy as np
from numba import njit

from highhall.curves import EffectCurves
from highhall.effects.mix import mixed
from highhall.effects.signals import Coefficients, Signal

_JUST_BEFORE = 1e-9
"""Of a cycle: a phase that rounding has left below a whole number counts as it."""


@njit("void(float32[:,::1], float32[:,::1], float64[::1], float64[::1])", nogil=True, cache=True)
def _hold(source: Signal, out: Signal, phases: Coefficients, held: Coefficients) -> None:
    """Hold a sample of each side while the whole part of `phases`, (frames,), stays; held (3,): that part, and the samples."""
    count, left, right = held[0], np.float32(held[1]), np.float32(held[2])
    for n in range(source.shape[1]):
        now = np.floor(phases[n] + _JUST_BEFORE)
        is_new = now != count
        count = now
        left = source[0, n] if is_new else left
        right = source[1, n] if is_new else right
        out[0, n], out[1, n] = left, right
    held[0], held[1], held[2] = count, left, right


@njit("void(float64, float64, int64, float64[::1])", nogil=True, cache=True)
def _steady_phases(hz: float, sample_rate: float, start: int, phases: Coefficients) -> None:
    """Write the phases of a rate that never changes, (frames,), as `Curve.phases` does."""
    for n in range(phases.shape[0]):
        phases[n] = hz * np.float64(start + n) / sample_rate


@njit("void(float32[::1], float32[::1], float64[::1])", nogil=True, cache=True)
def _round(source: Signal, out: Signal, steps: Coefficients) -> None:
    """Round one side to so many steps from 0 to 1, (frames,)."""
    for n in range(source.shape[0]):
        out[n] = np.rint(np.float64(source[n]) * steps[n]) / steps[n]


@njit("void(float32[::1], float32[::1], float32)", nogil=True, cache=True)
def _round_evenly(source: Signal, out: Signal, steps: np.float32) -> None:
    """Do the same for steps that are a power of two and stay: then float32 loses nothing."""
    step = np.float32(1) / steps
    for n in range(source.shape[0]):
        out[n] = np.rint(source[n] * steps) * step


class Crush:
    """A crush effect. See `highhall.effects.processor.Processor`."""

    falling_s = longest_gap_s = 0.0

    def __init__(self, effect: EffectCurves) -> None:
        self._bits, self._rate, self._mix = effect.curve("bits"), effect.curve("rate_hz"), effect.curve("mix")
        self._held = np.array([-1.0, 0.0, 0.0])
        self._sample_rate = effect.sample_rate
        self.memory_s = 1 / self._rate.extremes[0]

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the coarser block, (2, frames)."""
        stop = start_sample + block.shape[1]
        out = np.ascontiguousarray(block)
        if self._rate.extremes[0] < self._sample_rate:
            source, out = out, np.empty_like(out)
            _hold(source, out, self._phases(start_sample, stop), self._held)
        return mixed(block, self._rounded(out, start_sample), self._mix, start_sample)

    def _phases(self, start: int, stop: int) -> Coefficients:
        if self._rate.constant is None:
            return self._rate.phases(np.arange(start, stop))
        phases = np.empty(stop - start)
        _steady_phases(self._rate.constant, self._sample_rate, start, phases)
        return phases

    def _rounded(self, block: Signal, start: int) -> Signal:
        out, bits = np.empty_like(block), self._bits.constant
        for side in range(2):
            if bits is not None and bits == round(bits):
                _round_evenly(block[side], out[side], np.float32(2 ** (bits - 1)))
            else:
                _round(block[side], out[side], 2 ** (self._bits.values(start, start + block.shape[1]) - 1))
        return out
