"""The chorus effect: several voices that wander about their delays.

A voice wanders by depth x 4 ms / (1 + rate), so that faster rates do not detune ever more. Voices wander
evenly spread in phase; the right side is a quarter of a round ahead.

References
----------
J. Dattorro, "Effect design, part 2: delay-line modulation and chorus", J. Audio Eng. Soc. 45(10), 1997.
"""

import math

import numpy as np

from highhall.curves import EffectCurves
from highhall.effects.delay import DelayLine, cell_edges
from highhall.effects.mix import mixed
from highhall.effects.signals import Signal
from highhall.effects.sines import sine

_DELAYS_MS = ((11.3, 23.3, 17.9, 29.1), (13.7, 26.1, 19.9, 31.7))
_WANDER_MS = 4.0


class Chorus:
    """A chorus effect. See `highhall.effects.processor.Processor`."""

    falling_s = 0.0

    def __init__(self, effect: EffectCurves) -> None:
        self._rate, self._depth, self._mix = (effect.curve(name) for name in ("rate", "depth", "mix"))
        self._voices = round(effect.effect.number("voices"))
        self._sample_rate = effect.sample_rate
        self.memory_s = self.longest_gap_s = (max(map(max, _DELAYS_MS)) + _WANDER_MS) / 1000
        self._line = DelayLine(self.memory_s * self._sample_rate)

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the voices over what comes in, (2, frames)."""
        self._line.take(block)
        stop = start_sample + block.shape[1]
        edges = cell_edges(start_sample, stop)
        phases = self._rate.phases(edges)
        wander_ms = self._depth.at_each(edges) * _WANDER_MS / (1 + self._rate.at_each(edges))
        out = np.zeros_like(block)
        for side, delays_ms in enumerate(_DELAYS_MS):
            for voice, delay_ms in enumerate(delays_ms[: self._voices]):
                turn = phases + voice / self._voices + side / 4
                delays = (delay_ms + wander_ms * sine(turn)) * (self._sample_rate / 1000)
                out[side] += self._line.read_gliding(side, start_sample, delays)
        return mixed(block, out * np.float32(1 / math.sqrt(self._voices)), self._mix, start_sample)
