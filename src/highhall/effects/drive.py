"""The drive effect: saturation by tanh at four times the sample rate, then a high cut.

What comes in is amplified by g = 0 to 18 dB (amount) before and 9 dB less after tanh: y = tanh(g x) / sqrt(g).
Quiet sound becomes louder by up to 9 dB, and nothing comes out above -g/2 dBFS.

References
----------
U. Zoelzer (ed.), "DAFX: Digital Audio Effects", 2nd edition, Wiley 2011, chapter 4.
"""

import math

import numpy as np
from numba import njit

from highhall.curves import EffectCurves
from highhall.effects.denormals import flush_denormals, restore_denormals
from highhall.effects.mix import mixed
from highhall.effects.oversampling import all_pass_pair, half_bands
from highhall.effects.signals import Coefficients, Signal
from highhall.effects.tone.moved import MovingFilter, MovingFilters

_MOST_DB = 18.0
_STATES = 8


@njit(nogil=True, inline="always")
def _shaped(x: float, gain: float, scale: float, stage: Coefficients, state: Coefficients) -> float:
    """Saturate one sample at twice the rate by way of four times the rate; state (2, 2, _STATES): up, down."""
    p, q = all_pass_pair(x, x, stage, state[0])
    p, q = scale * math.tanh(gain * p), scale * math.tanh(gain * q)
    even, odd = all_pass_pair(q, p, stage, state[1])  # the odd branch hears the sample before
    return 0.5 * (even + odd)


@njit(
    "void(float32[::1], float32[::1], float64[::1], float64[::1], float64[::1], float64[:,:,::1])",
    nogil=True, cache=True, fastmath={"contract"},
)  # fmt: skip
def _saturate(
    source: Signal, out: Signal, gains: Coefficients, first: Coefficients, second: Coefficients, state: Coefficients
) -> None:
    """Saturate one side, (frames,). gains (frames,). state (4, 2, _STATES): up, up again, down, down again."""
    old = flush_denormals()
    for n in range(source.shape[0]):
        x = np.float64(source[n])
        gain = gains[n]
        scale = 1 / math.sqrt(gain)
        a, b = all_pass_pair(x, x, first, state[0])
        a = _shaped(a, gain, scale, second, state[1:3])
        b = _shaped(b, gain, scale, second, state[1:3])
        even, odd = all_pass_pair(b, a, first, state[3])
        out[n] = 0.5 * (even + odd)
    restore_denormals(old)


class Drive:
    """A drive effect. See `highhall.effects.processor.Processor`."""

    longest_gap_s = 0.0

    def __init__(self, effect: EffectCurves) -> None:
        self._amount, self._mix = effect.curve("amount"), effect.curve("mix")
        self._tone = MovingFilters(
            [MovingFilter(shape="high_cut", hz=effect.curve("tone_hz"), slope_db_oct=12)], effect.sample_rate
        )
        self._states = np.zeros((2, 4, 2, _STATES))
        self.memory_s = self._tone.memory_s + 0.01

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the saturated block, (2, frames)."""
        stop = start_sample + block.shape[1]
        gains = 10 ** (_MOST_DB / 20 * self._amount.values(start_sample, stop))
        first, second = half_bands()
        out = np.empty_like(block)
        for side in range(2):
            _saturate(np.ascontiguousarray(block[side]), out[side], gains, first, second, self._states[side])
        return mixed(block, self._tone.process(out, start_sample), self._mix, start_sample)
