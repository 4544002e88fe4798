"""Edits of moves."""

from dataclasses import replace

from highhall.plan.edits.basics import checked
from highhall.plan.model import Move, MoveValue, Plan, SectionValue, Target
from highhall.timing import NoteValue, TimeValue

NEW_RAMP = NoteValue(1, 8)
"""What is set in one section is reached by this before its start, if nothing else is said."""


def set_section_value(
    plan: Plan, target: Target, section_id: str, value: MoveValue, *, ramp: TimeValue | None = None
) -> Plan:
    """Give a target a value inside one section, reached by `ramp` before its start."""
    return checked(with_section_value(plan, target, section_id, value, ramp=ramp))


def with_section_value(
    plan: Plan, target: Target, section_id: str, value: MoveValue, *, ramp: TimeValue | None = None
) -> Plan:
    """Do as `set_section_value` does, unchecked, for edits of many."""
    move = plan.move(target) or Move(target=target)
    order = {section.id: index for index, section in enumerate(plan.song.sections)}
    kept = [v for v in move.sections if v.section != section_id]
    added = [*kept, SectionValue(section=section_id, value=value, ramp=ramp)]
    changed = replace(move, sections=tuple(sorted(added, key=lambda v: order.get(v.section, len(order)))))
    return with_move(plan, changed)


def clear_section_value(plan: Plan, target: Target, section_id: str) -> Plan:
    """Let a target follow its own value again inside one section."""
    move = plan.move(target)
    if move is None:
        return plan
    changed = replace(move, sections=tuple(v for v in move.sections if v.section != section_id))
    return checked(with_move(plan, changed))


def with_move(plan: Plan, changed: Move) -> Plan:
    """Return the plan with a move in place of the one of the same target; an empty move is none. Unchecked."""
    others = tuple(m for m in plan.moves if m.target != changed.target)
    if not (changed.sections or changed.points or changed.throws):
        return replace(plan, moves=others)
    if len(others) == len(plan.moves):
        return replace(plan, moves=(*others, changed))
    return replace(plan, moves=tuple(changed if m.target == changed.target else m for m in plan.moves))
