"""The autopan effect: from side to side in time."""

import numpy as np

from highhall.curves import EffectCurves
from highhall.effects.panning import side_gains
from highhall.effects.signals import Coefficients, Signal
from highhall.effects.sines import sine


class Autopan:
    """An autopan effect. See `highhall.effects.processor.Processor`. It goes to the right first."""

    memory_s = falling_s = longest_gap_s = 0.0

    def __init__(self, effect: EffectCurves) -> None:
        self._rate, self._depth = effect.curve("rate"), effect.curve("depth")
        self._is_triangle = effect.effect.value("shape") == "triangle"

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the block, (2, frames), panned at every sample."""
        stop = start_sample + block.shape[1]
        swing = self._swing(self._rate.phases(np.arange(start_sample, stop)))
        gains = np.stack(side_gains(self._depth.values(start_sample, stop) * swing))
        out: Signal = block * gains.astype(np.float32)
        return out

    def _swing(self, phases: Coefficients) -> Coefficients:
        if self._is_triangle:
            triangle: Coefficients = 1 - 4 * np.abs((phases + 0.25) % 1.0 - 0.5)
            return triangle
        return sine(phases)
