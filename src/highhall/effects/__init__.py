"""Effects: one module or folder per kind of step, and the chain that runs them."""

from highhall.effects.chain import RENDERED_KINDS, Chain, unrendered_steps
from highhall.effects.effect import Effect, NotRenderedError
from highhall.effects.signals import Signal, gain_of_db, silence
from highhall.effects.tone import Tone

__all__ = [
    "RENDERED_KINDS",
    "Chain",
    "Effect",
    "NotRenderedError",
    "Signal",
    "Tone",
    "gain_of_db",
    "silence",
    "unrendered_steps",
]
