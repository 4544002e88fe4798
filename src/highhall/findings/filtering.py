"""Filters put into a return's chain."""

from highhall.plan import Filter, Plan
from highhall.plan.edits import add_effect, effect_of_kind, place_effect, set_effect
from highhall.plan.kinds import MAXIMUM_FILTERS


def with_filter(plan: Plan, return_id: str, filter_: Filter) -> Plan:
    """Return the plan with one more filter in a return: in its first tone effect, or in a new one before all others."""
    chain = plan.return_(return_id).chain
    tone = next((effect for effect in chain if effect.on and effect.kind == "tone"), None)
    if tone is not None and len(tone.filters) < MAXIMUM_FILTERS:
        return set_effect(plan, return_id, tone.id, params={"bands": (*tone.filters, filter_)})
    added = add_effect(plan, return_id, effect_of_kind("tone", "tone", {"bands": []}))
    new = added.return_(return_id).chain[-1]
    filled = set_effect(added, return_id, new.id, params={"bands": (filter_,)})
    return place_effect(filled, return_id, new.id, -len(chain))
