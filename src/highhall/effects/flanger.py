"""The flanger effect: a short wandering delay against itself.

The delay wanders between 0.3 and 0.3 + 5 x depth ms, the right side a quarter of a round ahead. What comes in
and what the loop gives back are summed; the sum is scaled so that noise keeps its power at every feedback.

References
----------
B. Bartlett, "A scientific explanation of phasing (flanging)", J. Audio Eng. Soc. 18(6), 1970.
"""

import math

import numpy as np

from highhall.curves import EffectCurves
from highhall.effects.feedback_line import FeedbackLine
from highhall.effects.mix import mixed
from highhall.effects.signals import Signal

_SHORTEST_MS, _SWEEP_MS = 0.3, 5.0
_MEMORY_DB = 110


class Flanger:
    """A flanger effect. See `highhall.effects.processor.Processor`."""

    def __init__(self, effect: EffectCurves) -> None:
        self._rate, self._depth, self._feedback, self._mix = (
            effect.curve(name) for name in ("rate", "depth", "feedback", "mix")
        )
        self._per_ms = effect.sample_rate / 1000
        longest_ms = _SHORTEST_MS + _SWEEP_MS
        self._line = FeedbackLine(_SHORTEST_MS * self._per_ms, longest_ms * self._per_ms)
        loudest = max(map(abs, self._feedback.extremes))
        rounds = 1 + (_MEMORY_DB / (-20 * math.log10(loudest)) if loudest > 0 else 0)
        self.longest_gap_s = longest_ms / 1000
        self.memory_s = rounds * longest_ms / 1000

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the flanged block, (2, frames)."""
        frames = block.shape[1]
        stop = start_sample + frames
        phases = self._rate.phases(np.arange(start_sample, stop)) + np.array([[0.0], [0.25]])
        sweep = self._depth.values(start_sample, stop) * (0.5 + 0.5 * np.sin(2 * np.pi * phases))
        delays = (_SHORTEST_MS + _SWEEP_MS * sweep) * self._per_ms
        feedback = self._feedback.values(start_sample, stop)
        back = self._line.process(
            block,
            delays[None],
            np.ones((1, frames), np.float32),
            feedback.astype(np.float32),
            np.zeros(frames, np.float32),
        )
        scale = 1 / np.sqrt(1 + 1 / (1 - feedback**2))
        return mixed(block, (block + back) * scale.astype(np.float32), self._mix, start_sample)
