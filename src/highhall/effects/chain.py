"""A return's chain at work: its steps in order."""

from collections.abc import Callable, Iterator, Mapping

from highhall.effects.effect import Effect, NotRenderedError
from highhall.effects.reverb import Reverb, refuse_unrendered
from highhall.effects.signals import Signal
from highhall.effects.tone import Tone
from highhall.plan.model import Plan, Return, Step
from highhall.timing import SongTime

_MAKERS: Mapping[str, Callable[[Step, SongTime], Effect]] = {
    "reverb": Reverb,
    "tone": lambda step, time: Tone(step.bands, time.sample_rate),
}

RENDERED_KINDS = tuple(_MAKERS)


def unrendered_steps(plan: Plan) -> Iterator[str]:
    """Yield a sentence for every step that is on and has no sound in this version."""
    for index, return_ in enumerate(plan.returns):
        for place, step in enumerate(return_.chain):
            path = f"returns[{index}].chain[{place}]"
            if step.on and step.kind not in _MAKERS:
                kinds = ", ".join(RENDERED_KINDS)
                yield f'{path}: the step kind "{step.kind}" has no sound in this version; rendered are {kinds}'
            elif step.on and step.kind == "reverb":
                try:
                    refuse_unrendered(step)
                except NotRenderedError as error:
                    yield f"{path}: {error}"


class Chain:
    """The steps of one return that are on; silent if none of them makes wet sound."""

    def __init__(self, return_: Return, song_time: SongTime) -> None:
        steps = [step for step in return_.chain if step.on] if return_.is_wet else []
        self._effects = [_MAKERS[step.kind](step, song_time) for step in steps]
        self.memory_s = sum(effect.memory_s for effect in self._effects)
        self.longest_gap_s = sum(effect.longest_gap_s for effect in self._effects)

    @property
    def is_silent(self) -> bool:
        """Whether nothing can come out, because dry sound never leaves a return."""
        return not self._effects

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return what the chain makes of a block, (2, frames)."""
        for effect in self._effects:
            block = effect.process(block, start_sample)
        return block
