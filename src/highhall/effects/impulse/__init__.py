"""The impulse effect: spaces from recorded impulse responses."""

from highhall.effects.impulse.effect import Impulse
from highhall.effects.impulse.response import Response, read_response

__all__ = ["Impulse", "Response", "read_response"]
