"""The reverb step: spaces made by a feedback delay network."""

from highhall.effects.reverb.design import design_reverb
from highhall.effects.reverb.effect import Reverb, refuse_unrendered

__all__ = ["Reverb", "design_reverb", "refuse_unrendered"]
