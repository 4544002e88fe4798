"""The width step: M = (L + R) / 2, S = width (L - R) / 2, S through a low cut that makes the bass mono."""

import numpy as np

from highhall.curves import StepCurves
from highhall.effects.signals import Signal
from highhall.effects.tone.moved import MovingBand, MovingBands


class Width:
    """A width step. See `highhall.effects.effect.Effect`."""

    longest_gap_s = 0.0

    def __init__(self, step: StepCurves) -> None:
        self._width = step.curve("width")
        self._cut = None
        if not step.is_null("bass_mono_hz"):
            band = MovingBand(shape="low_cut", hz=step.curve("bass_mono_hz"), slope_db_oct=12)
            self._cut = MovingBands([band], step.sample_rate)
        self.memory_s = self._cut.memory_s if self._cut else 0.0

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the block, (2, frames), wider or narrower."""
        side: Signal = np.float32(0.5) * (block[0] - block[1])
        if self._cut:
            side = self._cut.process(np.stack([side, side]), start_sample)[0]
        side = side * self._width.values(start_sample, start_sample + block.shape[1]).astype(np.float32)
        middle = np.float32(0.5) * (block[0] + block[1])
        return np.stack([middle + side, middle - side])
