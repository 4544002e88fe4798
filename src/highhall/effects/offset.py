"""The offset effect: each side a little late, which widens without repeats.

References
----------
H. Haas, "Ueber den Einfluss eines Einfachechos auf die Hoersamkeit von Sprache", Acustica 1 (1951): two
sounds fuse below some 30 to 40 ms.
"""

import numpy as np

from highhall.curves import Curve, EffectCurves
from highhall.effects.delay import DelayLine
from highhall.effects.signals import Coefficients, Signal


class SideDelays:
    """Delays the two sides by curves in milliseconds, never below 0."""

    def __init__(self, left: Curve, right: Curve, sample_rate: int) -> None:
        self._sides, self._rate = (left, right), sample_rate
        self.longest_s = max(curve.extremes[1] for curve in self._sides) / 1000
        self._line = DelayLine(max(self.longest_s, 0) * sample_rate)

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the delayed block, (2, frames)."""
        self._line.take(block)
        stop = start_sample + block.shape[1]
        return np.stack([self._line.read(side, self._delay(side, start_sample, stop)) for side in (0, 1)])

    def _delay(self, side: int, start: int, stop: int) -> int | Coefficients:
        curve = self._sides[side]
        if curve.constant is not None:
            return round(max(curve.constant, 0) * self._rate / 1000)
        return np.maximum(curve.values(start, stop), 0) * (self._rate / 1000)


class Offset:
    """An offset effect. See `highhall.effects.processor.Processor`."""

    falling_s = 0.0

    def __init__(self, effect: EffectCurves) -> None:
        self._delays = SideDelays(effect.curve("left_ms"), effect.curve("right_ms"), effect.sample_rate)
        self.memory_s = self.longest_gap_s = self._delays.longest_s

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the block with its sides late."""
        return self._delays.process(block, start_sample)
