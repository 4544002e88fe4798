"""The reverb effect: spaces made by a feedback delay network."""

from highhall.effects.reverb.effect import Reverb

__all__ = ["Reverb"]
