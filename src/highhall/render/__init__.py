"""Sound as a function of a plan: curves, the streaming engine, segments and prints."""

from highhall.render.engine import BLOCK_FRAMES, DRY, Engine
from highhall.render.prints import PrintOptions, PrintSummary, print_plan
from highhall.render.stems import Stems

__all__ = [
    "BLOCK_FRAMES",
    "DRY",
    "Engine",
    "PrintOptions",
    "PrintSummary",
    "Stems",
    "print_plan",
]
