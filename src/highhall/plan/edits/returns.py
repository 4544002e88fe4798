"""Edits of returns and the steps of their chains."""

from collections.abc import Mapping
from dataclasses import replace
from types import MappingProxyType
from typing import Any, Unpack

from highhall.errors import CoreError
from highhall.plan.edits.basics import checked, free_name, id_from_name, replaced, shifted, taken_ids, without_sends
from highhall.plan.edits.fields import FaderFields, ReturnFields
from highhall.plan.json.chains import free_id, read_params
from highhall.plan.json.reader import Node
from highhall.plan.kinds import KINDS
from highhall.plan.model import Move, ParameterValue, Plan, Return, ReturnTarget, Step, StepTarget
from highhall.plan.problems import PlanRefusedError, Problem


def add_return(plan: Plan, name: str, chain: tuple[Step, ...], **fields: Unpack[FaderFields]) -> tuple[Plan, str]:
    """Add a return after the others; return the plan and the new return's id."""
    return_id = id_from_name(name, taken_ids(plan))
    added = Return(id=return_id, name=name, chain=chain, **fields)
    return checked(replace(plan, returns=(*plan.returns, added))), return_id


def remove_return(plan: Plan, return_id: str) -> Plan:
    """Remove a return with all sends into and out of it, and their moves."""
    plan.return_(return_id)

    remaining = without_sends(plan, lambda source, target: return_id in (source, target))
    return checked(
        replace(
            remaining,
            returns=tuple(r for r in plan.returns if r.id != return_id),
            moves=tuple(m for m in remaining.moves if m.target.target != return_id),
        )
    )


def copy_return(plan: Plan, return_id: str) -> tuple[Plan, str]:
    """Put a copy of a return after it; return the plan and the copy's id.

    The copy has the return's moves and feeds what it feeds. What feeds it comes along switched off, so that nothing
    gets louder.
    """
    original = plan.return_(return_id)
    name = free_name(original.name, {r.name for r in plan.returns})
    copy = replace(original, id=id_from_name(name, taken_ids(plan)), name=name)
    sends = [replace(s, target=copy.id, on=False) for s in plan.sends_into(return_id)]
    sends += [replace(s, source=copy.id) for s in plan.sends if s.source == return_id]
    moves = [
        replace(m, target=replace(m.target, target=copy.id))
        for m in plan.moves
        if isinstance(m.target, (ReturnTarget, StepTarget)) and m.target.target == return_id
    ]
    place = plan.returns.index(original) + 1
    returns = (*plan.returns[:place], copy, *plan.returns[place:])
    copied = replace(plan, returns=returns, sends=(*plan.sends, *sends), moves=(*plan.moves, *moves))
    return checked(copied), copy.id


def place_return(plan: Plan, return_id: str, by: int) -> Plan:
    """Move a return earlier (-1) or later (1) in the list; at an end it stays."""
    return checked(replace(plan, returns=shifted(plan.returns, plan.return_(return_id), by)))


def swap_sides(plan: Plan, return_id: str, step_id: str) -> Plan:
    """Swap all that a step has for left and for right."""
    step = plan.return_(return_id).step(step_id)
    mirrors = {parameter.name: parameter.mirror for parameter in step.table.parameters if parameter.mirror}
    if not mirrors:
        sided = ", ".join(kind.name for kind in KINDS.values() if any(p.mirror for p in kind.parameters))
        raise CoreError(f"{step.kind} has no sides to swap; these have: {sided}")
    return set_step(plan, return_id, step_id, params={to: step.value(of) for to, of in mirrors.items()})


def set_return(plan: Plan, return_id: str, **fields: Unpack[ReturnFields]) -> Plan:
    """Change a return's own fields: name, level_db, width, pan, mute, output."""
    return checked(replace(plan, returns=replaced(plan.returns, return_id, lambda r: replace(r, **fields))))


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
            returns=replaced(plan.returns, return_id, lambda r: replace(r, chain=replaced(r.chain, step_id, change))),
        )
    )


def add_step(plan: Plan, return_id: str, step: Step) -> Plan:
    """Add a step at the end of a chain, under an id that is free there."""
    chain = plan.return_(return_id).chain
    added = replace(step, id=free_id(step.id, {each.id for each in chain}))
    return set_chain(plan, return_id, (*chain, added))


def remove_step(plan: Plan, return_id: str, step_id: str) -> Plan:
    """Remove a step with its moves."""
    plan.return_(return_id).step(step_id)
    return set_chain(plan, return_id, tuple(s for s in plan.return_(return_id).chain if s.id != step_id))


def exchange_step(plan: Plan, return_id: str, step_id: str, step: Step) -> Plan:
    """Put another step in a step's place, under its id; the moves of the old one go unless both are of one kind."""
    old = plan.return_(return_id).step(step_id)

    def fits(move: Move) -> bool:
        target = move.target
        is_its = isinstance(target, StepTarget) and (target.target, target.step) == (return_id, step_id)
        return not is_its or old.kind == step.kind

    new = replace(step, id=step_id)
    changed = replaced(plan.returns, return_id, lambda r: replace(r, chain=replaced(r.chain, step_id, lambda _: new)))
    return checked(replace(plan, returns=changed, moves=tuple(filter(fits, plan.moves))))


def place_step(plan: Plan, return_id: str, step_id: str, by: int) -> Plan:
    """Move a step earlier (-1) or later (1) in its chain; at an end it stays."""
    return_ = plan.return_(return_id)
    return set_chain(plan, return_id, shifted(return_.chain, return_.step(step_id), by))


def set_chain(plan: Plan, return_id: str, chain: tuple[Step, ...]) -> Plan:
    """Give a return another chain; the moves of steps that are no longer in it go."""
    kept = {step.id for step in chain}

    def is_kept(move: Move) -> bool:
        target = move.target
        return not isinstance(target, StepTarget) or target.target != return_id or target.step in kept

    changed = replaced(plan.returns, return_id, lambda r: replace(r, chain=chain))
    return checked(replace(plan, returns=changed, moves=tuple(move for move in plan.moves if is_kept(move))))


def step_of_kind(kind: str, step_id: str, params: Mapping[str, Any]) -> Step:
    """Make a step from parameters as JSON writes them.

    Raises
    ------
    PlanRefusedError
        If a parameter is unknown, missing or out of range.
    """
    problems: list[Problem] = []
    parsed = read_params(kind, Node(dict(params), "", problems))
    if problems:
        raise PlanRefusedError(problems)
    return Step(id=step_id, kind=kind, params=parsed)
