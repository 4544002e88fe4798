"""The width effect: M = (L + R) / 2, S = width (L - R) / 2, S through a low cut that makes the bass mono."""

import numpy as np

from highhall.curves import EffectCurves
from highhall.effects.signals import Signal
from highhall.effects.tone.moved import MovingFilter, MovingFilters


class Width:
    """A width effect. See `highhall.effects.processor.Processor`."""

    falling_s = longest_gap_s = 0.0

    def __init__(self, effect: EffectCurves) -> None:
        self._width = effect.curve("width")
        self._cut = None
        if not effect.is_null("bass_mono_hz"):
            filter_ = MovingFilter(shape="low_cut", hz=effect.curve("bass_mono_hz"), slope_db_oct=12)
            self._cut = MovingFilters([filter_], effect.sample_rate)
        self.memory_s = self._cut.memory_s if self._cut else 0.0

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the block, (2, frames), wider or narrower."""
        side: Signal = np.float32(0.5) * (block[0] - block[1])
        if self._cut:
            side = self._cut.process(np.stack([side, side]), start_sample)[0]
        side = side * self._width.values(start_sample, start_sample + block.shape[1]).astype(np.float32)
        middle = np.float32(0.5) * (block[0] + block[1])
        return np.stack([middle + side, middle - side])
