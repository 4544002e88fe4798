"""The drive effect: saturation by tanh at four times the sample rate, then a high cut.

What comes in is amplified by g = 0 to 18 dB (amount) before and 9 dB less after tanh: y = tanh(g x) / sqrt(g).
Quiet sound becomes louder by up to 9 dB, and nothing comes out above -g/2 dBFS.

References
----------
U. Zoelzer (ed.), "DAFX: Digital Audio Effects", 2nd edition, Wiley 2011, chapter 4.
"""

import numpy as np

from highhall.curves import EffectCurves
from highhall.effects.mix import mixed
from highhall.effects.oversampling import STATE, down_four_times, lane_taps, up_four_times
from highhall.effects.signals import Coefficients, Signal
from highhall.effects.tone.moved import MovingFilter, MovingFilters

_MOST_DB = 18.0
_AT_ONCE = 2048
"""Frames whose samples at four times the rate stay in the processor's cache."""


class Drive:
    """A drive effect. See `highhall.effects.processor.Processor`."""

    falling_s = longest_gap_s = 0.0

    def __init__(self, effect: EffectCurves) -> None:
        self._amount, self._mix = effect.curve("amount"), effect.curve("mix")
        self._tone = MovingFilters(
            [MovingFilter(shape="high_cut", hz=effect.curve("tone_hz"), slope_db_oct=12)], effect.sample_rate
        )
        self._taps, self._up, self._down = lane_taps(), np.zeros(STATE), np.zeros(STATE)
        self.memory_s = self._tone.memory_s + 0.01

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the saturated block, (2, frames)."""
        gains = self._gains(start_sample, start_sample + block.shape[1])
        out = np.empty((2, block.shape[1]), np.float32)
        for first in range(0, block.shape[1], _AT_ONCE):
            part = slice(first, first + _AT_ONCE)
            out[:, part] = self._saturated(
                np.ascontiguousarray(block[:, part]), gains if len(gains) == 1 else gains[part]
            )
        return mixed(block, self._tone.process(out, start_sample), self._mix, start_sample)

    def _gains(self, start: int, stop: int) -> Coefficients:
        """Return the gain of every frame, (frames, 1), or one for all, (1, 1)."""
        still = self._amount.constant
        amount = self._amount.values(start, stop) if still is None else np.array([still])
        gains: Coefficients = 10 ** (_MOST_DB / 20 * amount[:, None])
        return gains

    def _saturated(self, block: Signal, gains: Coefficients) -> Signal:
        """Return (2, frames) saturated by gains, (frames, 1) or (1, 1)."""
        samples = np.empty(8 * block.shape[1])
        up_four_times(block, samples, self._taps, self._up)
        by_frame = samples.reshape(-1, 8)
        by_frame *= gains
        np.tanh(samples, out=samples)
        by_frame *= 1 / np.sqrt(gains)
        out = np.empty_like(block)
        down_four_times(samples, out, self._taps, self._down)
        return out
