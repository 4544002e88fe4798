"""Edits of moves: values by section, ramps, points; throws have a module of their own."""

from collections.abc import Collection, Iterable, Mapping
from dataclasses import replace
from typing import Any

from highhall.errors import CoreError
from highhall.plan.edits.basics import checked, require_inside
from highhall.plan.kinds import LEVEL
from highhall.plan.model import (
    EffectTarget,
    Move,
    MoveValue,
    Plan,
    Point,
    ReturnTarget,
    SectionValue,
    SendTarget,
    Target,
)
from highhall.timing import NoteValue, TimeValue

NEW_RAMP = NoteValue(1, 8)
"""What is set in one section is reached by this before its start, if nothing else is said."""

Cell = tuple[Target, str]
"""A value in a section."""


def own_value(plan: Plan, target: Target) -> MoveValue:
    """Return the value that holds where no move says otherwise.

    Raises
    ------
    KeyError
        If there is no such target.
    """
    match target:
        case SendTarget():
            send = plan.send(target.source, target.target)
            if send is None:
                raise KeyError(target)
            value: Any = getattr(send, target.param)
        case ReturnTarget():
            value = getattr(plan.return_(target.target), target.param)
        case EffectTarget():
            effect = plan.return_(target.target).effect(target.effect)
            if target.param.startswith("bands/"):
                _, index, name = target.param.split("/")
                value = getattr(effect.filters[int(index)], name)
            else:
                value = effect.on if target.param == "on" else effect.value(target.param)
    moved: MoveValue = value
    return moved


def value_in(plan: Plan, cell: Cell) -> MoveValue:
    """Return the value of a target that holds in a section, apart from points and throws."""
    target, section = cell
    move = plan.move(target)
    here = next((v for v in move.sections if v.section == section), None) if move else None
    return here.value if here else own_value(plan, target)


def set_section_value(
    plan: Plan, target: Target, section_id: str, value: MoveValue, *, ramp: TimeValue | None = None
) -> Plan:
    """Give a target a value inside one section, reached by `ramp` before its start."""
    return checked(with_section_value(plan, target, section_id, value, ramp=ramp))


def with_section_value(
    plan: Plan, target: Target, section_id: str, value: MoveValue, *, ramp: TimeValue | None = None
) -> Plan:
    """Do as `set_section_value` does, unchecked, for edits of many."""
    return with_section(plan, target, SectionValue(section=section_id, value=value, ramp=ramp))


def with_section(plan: Plan, target: Target, value: SectionValue) -> Plan:
    """Return the plan with a target's value for a section, in the song's order. Unchecked."""
    move = plan.move(target) or Move(target=target)
    order = {section.id: index for index, section in enumerate(plan.song.sections)}
    values = [*(v for v in move.sections if v.section != value.section), value]
    values.sort(key=lambda v: order.get(v.section, len(order)))
    return with_move(plan, replace(move, sections=tuple(values)))


def set_cells(plan: Plan, values: Mapping[Cell, MoveValue]) -> Plan:
    """Give targets values in sections; a ramp that is there stays, a new one is an eighth before the section."""
    return checked(with_cells(plan, values))


def with_cells(plan: Plan, values: Mapping[Cell, MoveValue]) -> Plan:
    """Do the same, unchecked."""
    for (target, section), value in values.items():
        old = _section_value(plan, (target, section))
        new = SectionValue(section=section, value=value, ramp=NEW_RAMP)
        plan = with_section(plan, target, replace(old, value=value) if old else new)
    return plan


def _section_value(plan: Plan, cell: Cell) -> SectionValue | None:
    move = plan.move(cell[0])
    return next((v for v in move.sections if v.section == cell[1]), None) if move else None


def nudge_cells(plan: Plan, cells: Collection[Cell], by_db: float) -> Plan:
    """Raise levels in sections by so many dB, no further than levels go; what is silent there stays so."""
    raised: dict[Cell, MoveValue] = {}
    for cell in cells:
        value = value_in(plan, cell)
        if isinstance(value, (int, float)) and not isinstance(value, bool) and cell[0].param == LEVEL.name:
            raised[cell] = min(max(value + by_db, LEVEL.low), LEVEL.high)
    return set_cells(plan, raised)


def set_ramps(plan: Plan, cells: Collection[Cell], ramp: TimeValue | None, side: str) -> Plan:
    """Let values in sections be reached by a ramp before or after their start; None is a jump.

    Raises
    ------
    CoreError
        If none of them has a value of its own.
    """
    found = [(cell[0], value) for cell in cells if (value := _section_value(plan, cell))]
    if not found:
        raise CoreError("a ramp leads to a value that is set in a section; set a value first")
    for target, value in found:
        plan = with_section(plan, target, replace(value, ramp=ramp, ramp_side=side))
    return checked(plan)


def set_bends(plan: Plan, cells: Collection[Cell], bend: float) -> Plan:
    """Bend the ramps to values in sections: half-way through they have come (1 + bend) / 2 of their way; 0 is straight.

    Raises
    ------
    CoreError
        If none of them has a ramp, or one cannot be bent.
    """
    found = [(cell[0], value) for cell in cells if (value := _section_value(plan, cell)) and value.ramp]
    if not found:
        raise CoreError("only a ramp can be bent; set its length first")
    for target, value in found:
        plan = with_section(plan, target, replace(value, ramp_bend=bend))
    return checked(plan)


def clear_cells(plan: Plan, cells: Collection[Cell]) -> Plan:
    """Let targets follow their own values again in sections."""
    for target, section in cells:
        move = plan.move(target)
        if move:
            plan = with_move(plan, replace(move, sections=tuple(v for v in move.sections if v.section != section)))
    return checked(plan)


def copy_section(plan: Plan, targets: Iterable[Target], source: str, section: str, *, add_db: float = 0.0) -> Plan:
    """Make targets in one section as they are in another, levels louder by `add_db`."""
    values: dict[Cell, MoveValue] = {(target, section): value_in(plan, (target, source)) for target in targets}
    copied = set_cells(plan, values)
    return nudge_cells(copied, list(values), add_db) if add_db else copied


def remove_move(plan: Plan, target: Target) -> Plan:
    """Let a value stand still."""
    return checked(with_move(plan, Move(target=target)))


def set_points(plan: Plan, target: Target, points: Iterable[Point]) -> Plan:
    """Give a target its points, in time order; none are no points.

    Raises
    ------
    CoreError
        If one that is new lies behind the song's end.
    """
    move = plan.move(target) or Move(target=target)
    points = list(points)
    require_inside(plan, [point.at for point in points if point not in move.points])
    placed = tuple(sorted(points, key=lambda point: point.at))
    return checked(with_move(plan, replace(move, points=placed)))


def clear_section_value(plan: Plan, target: Target, section_id: str) -> Plan:
    """Let a target follow its own value again inside one section."""
    return clear_cells(plan, [(target, section_id)])


def with_move(plan: Plan, changed: Move) -> Plan:
    """Return the plan with a move in place of the one of the same target; an empty move is none. Unchecked."""
    others = tuple(m for m in plan.moves if m.target != changed.target)
    if not (changed.sections or changed.points or changed.throws):
        return replace(plan, moves=others)
    if len(others) == len(plan.moves):
        return replace(plan, moves=(*others, changed))
    return replace(plan, moves=tuple(changed if m.target == changed.target else m for m in plan.moves))
