"""Sound as a function of a plan: curves, the streaming engine, and segments."""

from highhall.render.engine import BLOCK_FRAMES, DRY, Engine
from highhall.render.stems import Stems

__all__ = [
    "BLOCK_FRAMES",
    "DRY",
    "Engine",
    "Stems",
]
