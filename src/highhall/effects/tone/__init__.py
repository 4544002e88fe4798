"""The tone step: up to eight filters in a row."""

from highhall.effects.tone.bands import response_db, sections_of
from highhall.effects.tone.effect import Tone

__all__ = ["Tone", "response_db", "sections_of"]
