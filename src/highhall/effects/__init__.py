"""Effects: one module or folder per kind of step, and the chain that runs them."""

from highhall.effects.chain import NO_RESPONSES, Chain, effect_of
from highhall.effects.effect import Effect
from highhall.effects.impulse import Response, read_response
from highhall.effects.signals import Signal, silence
from highhall.effects.tone import Tone

__all__ = [
    "NO_RESPONSES",
    "Chain",
    "Effect",
    "Response",
    "Signal",
    "Tone",
    "effect_of",
    "read_response",
    "silence",
]
