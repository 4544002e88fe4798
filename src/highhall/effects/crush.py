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

_PIECE = 1024


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


@njit("void(float32[:,::1], float32[:,::1], float64, float64, int64, float32, float64[::1])", nogil=True, cache=True)
def _hold_evenly(
    source: Signal, out: Signal, hz: float, sample_rate: float, start: int, steps: np.float32, held: Coefficients
) -> None:
    """Do what `_hold` and `_round_evenly` do at a rate that never changes, piece by piece, so that memory is gone through once.

    Phases are those that `Curve.phases` gives.
    """
    step = np.float32(1) / steps
    counts = np.empty(_PIECE, np.int64)
    count, left, right = np.int64(held[0]), np.float32(held[1]), np.float32(held[2])
    for begin in range(0, source.shape[1], _PIECE):
        end = min(begin + _PIECE, source.shape[1])
        frames = end - begin
        for n in range(frames):
            counts[n] = np.int64(np.floor(hz * np.float64(start + begin + n) / sample_rate + _JUST_BEFORE))
        from_left, from_right = source[0, begin:end], source[1, begin:end]
        to_left, to_right = out[0, begin:end], out[1, begin:end]
        for n in range(frames):
            is_new = counts[n] != count
            count = counts[n]
            left = from_left[n] if is_new else left
            right = from_right[n] if is_new else right
            to_left[n], to_right[n] = left, right
        for n in range(frames):
            to_left[n] = np.rint(to_left[n] * steps) * step
            to_right[n] = np.rint(to_right[n] * steps) * step
    held[0], held[1], held[2] = count, left, right


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
        source = np.ascontiguousarray(block)
        return mixed(block, self._coarser(source, start_sample), self._mix, start_sample)

    def _coarser(self, source: Signal, start: int) -> Signal:
        bits, hz, out = self._bits.constant, self._rate.constant, np.empty_like(source)
        steps = np.float32(2 ** (bits - 1)) if bits is not None and bits == round(bits) else None
        is_held = self._rate.extremes[0] < self._sample_rate
        if is_held and steps is not None and hz is not None:
            _hold_evenly(source, out, hz, self._sample_rate, start, steps, self._held)
            return out
        stop = start + source.shape[1]
        if is_held:
            _hold(source, out, self._rate.phases(np.arange(start, stop)), self._held)
            source, out = out, np.empty_like(out)
        for side in range(2):
            if steps is not None:
                _round_evenly(source[side], out[side], steps)
            else:
                _round(source[side], out[side], 2 ** (self._bits.values(start, stop) - 1))
        return out
