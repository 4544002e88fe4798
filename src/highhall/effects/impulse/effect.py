"""The impulse step at work."""

from highhall.curves import StepCurves
from highhall.effects.delay import PreDelay
from highhall.effects.impulse.convolution import Convolver
from highhall.effects.impulse.response import Response, kept_frames, shaped
from highhall.effects.signals import Signal


class Impulse:
    """An impulse step with its response, (1, 2 or 4, frames), at the song's rate. See `highhall.effects.effect.Effect`."""

    def __init__(self, step: StepCurves, response: Response) -> None:
        self._pre_delay = PreDelay(step.times("pre_delay"), step.time)
        self._step, self._response = step, response
        self._convolver: Convolver | None = None  # made when sound comes: often only the times below are asked for
        self.memory_s = (
            self._pre_delay.longest_s + kept_frames(response, step.step, step.sample_rate) / step.sample_rate
        )
        self.longest_gap_s = self._pre_delay.longest_s

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the space's answer, (2, frames)."""
        if self._convolver is None:
            self._convolver = Convolver(shaped(self._response, self._step.step, self._step.sample_rate))
        return self._convolver.process(self._pre_delay.process(block, start_sample))
