"""Effects: one module or folder per kind of effect, and the chain that runs them."""

from highhall.effects.chain import NO_RESPONSES, Chain, processor_of
from highhall.effects.impulse import Response, read_response
from highhall.effects.processor import CELL_FRAMES, Processor
from highhall.effects.ringing import Ringing
from highhall.effects.signals import Signal, silence
from highhall.effects.tone import Tone

__all__ = [
    "CELL_FRAMES",
    "NO_RESPONSES",
    "Chain",
    "Processor",
    "Response",
    "Ringing",
    "Signal",
    "Tone",
    "processor_of",
    "read_response",
    "silence",
]
