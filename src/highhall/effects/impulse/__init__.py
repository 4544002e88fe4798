"""The impulse effect: spaces from recorded impulse responses."""

from highhall.effects.impulse.effect import Impulse
from highhall.effects.impulse.response import LONGEST_S, Response, lead_frames, pink_power, read_response

__all__ = ["LONGEST_S", "Impulse", "Response", "lead_frames", "pink_power", "read_response"]
