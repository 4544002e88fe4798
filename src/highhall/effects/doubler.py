"""The doubler effect: one more voice a side, a little late and a little out of tune.

The heads' sweep is centred on the voice's delay, so the voice is late by that on average.

References
----------
S. Disch, U. Zoelzer, "Modulation and delay line based digital audio effects", DAFx-99.
"""

import numpy as np

from highhall.curves import Curve, EffectCurves
from highhall.effects.delay import POINTS_AHEAD, DelayLine, cell_edges
from highhall.effects.pitch_shift import shifted
from highhall.effects.signals import Coefficients, Signal

_LONGEST_SWEEP_MS = 30.0
_LEAST_MS = 0.2


class Doubler:
    """A doubler effect. See `highhall.effects.processor.Processor`."""

    falling_s = 0.0

    def __init__(self, effect: EffectCurves) -> None:
        self._rate = effect.sample_rate
        self._voices = [
            _Voice(effect.curve(f"{side}_ms"), effect.curve(f"{side}_cents"), self._rate) for side in ("left", "right")
        ]
        longest = max(voice.longest for voice in self._voices)
        self._line = DelayLine(longest)
        self.memory_s = self.longest_gap_s = longest / self._rate

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the two voices, (2, frames)."""
        self._line.take(block)
        stop = start_sample + block.shape[1]
        return np.stack([voice.heard(self._line, side, start_sample, stop) for side, voice in enumerate(self._voices)])


class _Voice:
    def __init__(self, delay_ms: Curve, cents: Curve, sample_rate: int) -> None:
        self._delay_ms, self._cents, self._rate = delay_ms, cents, sample_rate
        shortest, longest = delay_ms.extremes
        # A sweep as long as the shortest delay allows, so that no head reads the future.
        self._sweep = min(2 * (shortest - _LEAST_MS), _LONGEST_SWEEP_MS) * sample_rate / 1000 - 2 * POINTS_AHEAD
        self.longest = longest * sample_rate / 1000 + self._sweep / 2 + POINTS_AHEAD

    def heard(self, line: DelayLine, side: int, start: int, stop: int) -> Signal:
        """Return what the voice makes of one side, (frames,)."""
        middles = self._delay_ms.values(start, stop) * (self._rate / 1000)
        return shifted(line, side, self._turns(start, stop), start, middles, self._sweep)

    def _turns(self, start: int, stop: int) -> Coefficients:
        """Return how many sweeps have passed since 1|1 at the cells' edges: a head is 1 - ratio samples later each sample."""
        turns: Coefficients = self._cents.integral(cell_edges(start, stop), lambda cents: 1 - 2 ** (cents / 1200))
        return turns / self._sweep
