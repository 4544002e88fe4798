"""Edits: small named functions from one plan to the next, used by web, command line and findings.

Each returns a checked plan, or raises and leaves the plan that was given as it is.
"""

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from types import MappingProxyType
from typing import Any, TypeVar

from highhall.errors import CoreError
from highhall.plan.model import (
    MAIN,
    Group,
    Move,
    MoveValue,
    ParameterValue,
    Plan,
    Return,
    SectionValue,
    Send,
    SendTarget,
    Step,
    Target,
    Track,
)
from highhall.plan.parse import parse_params, plan_from_document
from highhall.plan.parse_values import free_id
from highhall.plan.problems import PlanRefusedError, Problem
from highhall.plan.reader import Node
from highhall.plan.serialise import document_of
from highhall.timing import Position, TimeValue

_Item = TypeVar("_Item", Group, Track, Return, Step)


def checked(plan: Plan) -> Plan:
    """Return the plan if it is valid: it is written and read back, so every rule is applied.

    Raises
    ------
    PlanRefusedError
        If it is not.
    """
    return plan_from_document(document_of(plan))


def id_from_name(name: str, taken: set[str]) -> str:
    """Return a free id made of a name's letters and digits."""
    words = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:56].strip("-")
    return free_id(words or "item", taken)


def _taken_ids(plan: Plan) -> set[str]:
    return {MAIN} | {item.id for items in (plan.groups, plan.tracks, plan.returns) for item in items}


def _replaced(items: tuple[_Item, ...], wanted: str, change: Callable[[_Item], _Item]) -> tuple[_Item, ...]:
    if not any(item.id == wanted for item in items):
        raise CoreError(f'there is no "{wanted}" to change')
    return tuple(change(item) if item.id == wanted else item for item in items)


def add_tracks(plan: Plan, tracks: Sequence[Track], groups: Sequence[Group] = ()) -> Plan:
    """Add tracks after the others, with the groups they need."""
    return checked(replace(plan, groups=(*plan.groups, *groups), tracks=(*plan.tracks, *tracks)))


def set_track(plan: Plan, track_id: str, **fields: Any) -> Plan:  # noqa: ANN401
    """Change a track's own fields: name, group, level_db, pan, mute, start_s, stem."""
    return checked(replace(plan, tracks=_replaced(plan.tracks, track_id, lambda t: replace(t, **fields))))


def remove_track(plan: Plan, track_id: str) -> Plan:
    """Remove a track with its sends and their moves; its stem's file stays."""
    plan.track(track_id)
    return checked(
        replace(
            plan,
            tracks=tuple(t for t in plan.tracks if t.id != track_id),
            sends=tuple(s for s in plan.sends if s.source != track_id),
            moves=tuple(
                m for m in plan.moves if not (isinstance(m.target, SendTarget) and m.target.source == track_id)
            ),
        )
    )


def lengthen(plan: Plan, seconds: float) -> Plan:
    """Move the song's end to the first bar line after `seconds`, if it lies before that."""
    position = plan.song.time.position_at_sample(round(seconds * plan.song.sample_rate))
    bar_line = position if position.beat == 1 and position.bar > 1 else Position(position.bar + 1)
    return checked(replace(plan, song=replace(plan.song, end=max(plan.song.end, bar_line))))


def add_return(plan: Plan, name: str, chain: tuple[Step, ...], **fields: Any) -> tuple[Plan, str]:  # noqa: ANN401
    """Add a return after the others; return the plan and the new return's id."""
    return_id = id_from_name(name, _taken_ids(plan))
    added = Return(id=return_id, name=name, chain=chain, **fields)
    return checked(replace(plan, returns=(*plan.returns, added))), return_id


def remove_return(plan: Plan, return_id: str) -> Plan:
    """Remove a return with all sends into and out of it, and their moves."""
    plan.return_(return_id)

    def touches(target: Target) -> bool:
        ends = (target.source, target.target) if isinstance(target, SendTarget) else (target.target,)
        return return_id in ends

    return checked(
        replace(
            plan,
            returns=tuple(r for r in plan.returns if r.id != return_id),
            sends=tuple(s for s in plan.sends if return_id not in (s.source, s.target)),
            moves=tuple(m for m in plan.moves if not touches(m.target)),
        )
    )


def set_return(plan: Plan, return_id: str, **fields: Any) -> Plan:  # noqa: ANN401
    """Change a return's own fields: name, level_db, width, pan, mute, output."""
    return checked(replace(plan, returns=_replaced(plan.returns, return_id, lambda r: replace(r, **fields))))


def set_step(
    plan: Plan, return_id: str, step_id: str, *, on: bool | None = None, params: Mapping[str, ParameterValue]
) -> Plan:
    """Change some parameters of a step, or switch it."""

    def change(step: Step) -> Step:
        merged = MappingProxyType({**step.params, **params})
        return replace(step, params=merged, on=step.on if on is None else on)

    return checked(
        replace(
            plan,
            returns=_replaced(plan.returns, return_id, lambda r: replace(r, chain=_replaced(r.chain, step_id, change))),
        )
    )


def step_of_kind(kind: str, step_id: str, params: Mapping[str, Any]) -> Step:
    """Make a step from parameters as JSON writes them.

    Raises
    ------
    PlanRefusedError
        If a parameter is unknown, missing or out of range.
    """
    problems: list[Problem] = []
    parsed = parse_params(kind, Node(dict(params), "", problems))
    if problems:
        raise PlanRefusedError(problems)
    return Step(id=step_id, kind=kind, params=parsed)


def set_send(plan: Plan, source: str, target: str, **fields: Any) -> Plan:  # noqa: ANN401
    """Change a send's level_db, tap, pan or on; a send that does not exist yet is made."""
    existing = plan.send(source, target)
    if existing is None:
        return checked(replace(plan, sends=(*plan.sends, Send(source=source, target=target, **fields))))
    sends = tuple(replace(s, **fields) if s is existing else s for s in plan.sends)
    return checked(replace(plan, sends=sends))


def remove_send(plan: Plan, source: str, target: str) -> Plan:
    """Remove a send and its moves."""
    if plan.send(source, target) is None:
        raise CoreError(f'there is no send from "{source}" to "{target}"')
    return checked(
        replace(
            plan,
            sends=tuple(s for s in plan.sends if (s.source, s.target) != (source, target)),
            moves=tuple(
                m
                for m in plan.moves
                if not (isinstance(m.target, SendTarget) and (m.target.source, m.target.target) == (source, target))
            ),
        )
    )


def set_section_value(
    plan: Plan, target: Target, section_id: str, value: MoveValue, *, ramp: TimeValue | None = None
) -> Plan:
    """Give a target a value inside one section, reached by `ramp` before its start."""
    move = plan.move(target) or Move(target=target)
    order = {section.id: index for index, section in enumerate(plan.song.sections)}
    kept = [v for v in move.sections if v.section != section_id]
    added = [*kept, SectionValue(section=section_id, value=value, ramp=ramp)]
    changed = replace(move, sections=tuple(sorted(added, key=lambda v: order.get(v.section, len(order)))))
    return checked(replace(plan, moves=_with_move(plan, changed)))


def clear_section_value(plan: Plan, target: Target, section_id: str) -> Plan:
    """Let a target follow its own value again inside one section."""
    move = plan.move(target)
    if move is None:
        return plan
    changed = replace(move, sections=tuple(v for v in move.sections if v.section != section_id))
    return checked(replace(plan, moves=_with_move(plan, changed)))


def _with_move(plan: Plan, changed: Move) -> tuple[Move, ...]:
    is_empty = not (changed.sections or changed.points or changed.throws)
    others = tuple(m for m in plan.moves if m.target != changed.target)
    if is_empty:
        return others
    if len(others) == len(plan.moves):
        return (*others, changed)
    return tuple(changed if m.target == changed.target else m for m in plan.moves)
