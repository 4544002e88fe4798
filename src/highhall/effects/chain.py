"""A return's chain at work: its effects in order.

Dry sound never leaves a chain. If no effect that makes wet sound is ever on, the chain is silent. If such effects are
switched on and off, dry sound could pass while all of them are off: a copy of the chain that lets only this dry sound
through runs beside it, and its output is subtracted.
"""

from collections.abc import Callable, Mapping, Sequence
from types import MappingProxyType
from typing import Protocol, Self, cast

import numpy as np

from highhall.curves import EffectCurves
from highhall.effects.autopan import Autopan
from highhall.effects.chorus import Chorus
from highhall.effects.crush import Crush
from highhall.effects.doubler import Doubler
from highhall.effects.drive import Drive
from highhall.effects.duck import Duck
from highhall.effects.echo import Echo
from highhall.effects.flanger import Flanger
from highhall.effects.impulse import Impulse, Response
from highhall.effects.leveler import Leveler
from highhall.effects.offset import Offset
from highhall.effects.processor import Processor
from highhall.effects.reverb import Reverb
from highhall.effects.ringing import Ringing
from highhall.effects.signals import Signal
from highhall.effects.tone import tone_of
from highhall.effects.width import Width
from highhall.plan.model import Plan, Return

_MAKERS: Mapping[str, Callable[[EffectCurves], Processor]] = {
    "reverb": Reverb, "echo": Echo, "offset": Offset, "doubler": Doubler, "chorus": Chorus, "flanger": Flanger,
    "autopan": Autopan, "width": Width, "drive": Drive, "crush": Crush, "duck": Duck, "leveler": Leveler, "tone": tone_of,
}  # fmt: skip
_RESPONSE_MAKERS: Mapping[str, Callable[[EffectCurves, Response], Processor]] = {"impulse": Impulse}

NO_RESPONSES: Mapping[str, Response] = MappingProxyType({})


def processor_of(effect: EffectCurves, responses: Mapping[str, Response] = NO_RESPONSES) -> Processor:
    """Return an effect at work. `responses` are impulse responses by their path in the plan, at the song's rate."""
    kind, response = effect.effect.kind, effect.effect.response
    return _MAKERS[kind](effect) if response is None else _RESPONSE_MAKERS[kind](effect, responses[response])


class Listening(Protocol):
    """An effect that hears a track or group beside what it is fed."""

    def hear(self, key: Signal) -> None:
        """Take the sound, (2, frames), of the block that comes next."""


class Chain:
    """The effects of one return that are ever on, at work.

    `ringing` is how long it rings, `keys` are the ids of tracks and groups that its effects listen to.
    """

    def __init__(self, effects: Sequence[EffectCurves], responses: Mapping[str, Response] = NO_RESPONSES) -> None:
        heard = [effect for effect in effects if effect.is_ever_on]
        wet = [effect for effect in heard if effect.effect.table.makes_wet]
        self._slots = [_Slot(effect, responses) for effect in heard] if wet else []
        may_leak = bool(wet) and all(effect.on.constant is None for effect in wet)
        self._passing = [_Slot(effect, responses, passes=True) for effect in heard] if may_leak else []
        processors = [slot.processor for slot in self._slots]
        falls = tuple(each.falling_s for each in processors)
        self.ringing = Ringing(sum(each.memory_s for each in processors) - sum(falls), falls)
        self.memory_s = self.ringing.memory_s
        self.longest_gap_s = sum(each.longest_gap_s for each in processors)
        self.keys = {slot.source for slot in self._slots if slot.source is not None}

    @classmethod
    def of(cls, plan: Plan, return_: Return, responses: Mapping[str, Response] = NO_RESPONSES) -> Self:
        """Return the chain of a plan's return."""
        return cls([EffectCurves.of(plan, return_, effect) for effect in return_.chain], responses)

    @property
    def is_silent(self) -> bool:
        """Whether nothing can come out, because dry sound never leaves a return."""
        return not self._slots

    def process(self, block: Signal, start_sample: int, keys: Mapping[str, Signal] = MappingProxyType({})) -> Signal:
        """Return what the chain makes of a block, (2, frames); `keys` are the sounds of all ids in `self.keys`."""
        out = block
        for slot in self._slots:
            out = slot.process(out, start_sample, keys)
        if self._passing:
            dry = block
            for slot in self._passing:
                dry = slot.process(dry, start_sample, keys)
            out = out - dry
        return out


class _Slot:
    """One effect of a chain, which may be on and off; if it `passes`, an effect that makes wet sound gives only what it lets by."""

    def __init__(self, effect: EffectCurves, responses: Mapping[str, Response], *, passes: bool = False) -> None:
        self.processor = processor_of(effect, responses)
        self.source = effect.effect.source
        self._on = effect.on
        self._is_blocked = passes and effect.effect.table.makes_wet

    def process(self, block: Signal, start_sample: int, keys: Mapping[str, Signal]) -> Signal:
        if self.source is not None:
            cast(Listening, self.processor).hear(keys[self.source])
        made = np.zeros_like(block) if self._is_blocked else self.processor.process(block, start_sample)
        shares = self._on.shares(start_sample, start_sample + block.shape[1])
        if shares.get(True, 0) is None:
            return made
        on = shares.get(True)
        share = np.zeros(block.shape[1], np.float32) if on is None else on.astype(np.float32)
        out: Signal = block + share * (made - block)
        return out
