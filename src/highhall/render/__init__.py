"""Sound as a function of a plan: curves, the streaming engine, pieces and prints."""

from highhall.render.engine import DRY, Engine
from highhall.render.prints import PrintOptions, PrintSummary, print_plan
from highhall.render.readiness import PlanNotRenderedError, require_rendered
from highhall.render.stems import Stems

__all__ = [
    "DRY",
    "Engine",
    "PlanNotRenderedError",
    "PrintOptions",
    "PrintSummary",
    "Stems",
    "print_plan",
    "require_rendered",
]
