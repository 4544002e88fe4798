"""What a valid plan may ask for and this version has no sound for, refused by name."""

from highhall.effects import unrendered_steps
from highhall.errors import CoreError
from highhall.plan import Plan, StepTarget


class PlanNotRenderedError(CoreError):
    """The plan is valid, but parts of it have no sound in this version; one sentence a line."""


def require_rendered(plan: Plan) -> None:
    """Raise PlanNotRenderedError if a step or a move of the plan has no sound yet."""
    faults = list(unrendered_steps(plan))
    for index, move in enumerate(plan.moves):
        if isinstance(move.target, StepTarget):
            faults.append(
                f'moves[{index}]: moving "{move.target.param}" of a step has no sound in this version; '
                "moved are sends' and returns' levels, pan, width, on and mute"
            )
    if faults:
        raise PlanNotRenderedError("\n".join(faults))
