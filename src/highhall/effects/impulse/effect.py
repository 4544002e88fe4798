"""The impulse effect at work."""

from highhall.curves import EffectCurves
from highhall.effects.delay import PreDelay
from highhall.effects.impulse.convolution import Convolver
from highhall.effects.impulse.response import Response, kept_frames, shaped
from highhall.effects.signals import Signal


class Impulse:
    """An impulse effect with its response, (1, 2 or 4, frames), at the song's rate. See `highhall.effects.processor.Processor`."""

    falling_s = 0.0

    def __init__(self, effect: EffectCurves, response: Response) -> None:
        self._pre_delay = PreDelay(effect.times("pre_delay"), effect.time)
        self._effect, self._response = effect, response
        self._convolver: Convolver | None = None  # made when sound comes: often only the times below are asked for
        self.memory_s = (
            self._pre_delay.longest_s + kept_frames(response, effect.effect, effect.sample_rate) / effect.sample_rate
        )
        self.longest_gap_s = self._pre_delay.longest_s

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the space's answer, (2, frames)."""
        if self._convolver is None:
            self._convolver = Convolver(shaped(self._response, self._effect.effect, self._effect.sample_rate))
        return self._convolver.process(self._pre_delay.process(block, start_sample))
