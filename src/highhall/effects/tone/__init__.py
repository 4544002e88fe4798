"""The tone effect: up to eight filters in a row."""

from highhall.effects.tone.effect import Tone
from highhall.effects.tone.filters import response_db, sections_of
from highhall.effects.tone.moved import MovingTone, tone_of

__all__ = ["MovingTone", "Tone", "response_db", "sections_of", "tone_of"]
