"""Edits of returns and the steps of their chains."""

from collections.abc import Mapping
from dataclasses import replace
from types import MappingProxyType
from typing import Any

from highhall.plan.edits.basics import checked, id_from_name, replaced, taken_ids, without_sends
from highhall.plan.model import Move, ParameterValue, Plan, Return, Step, StepTarget
from highhall.plan.parse import parse_params
from highhall.plan.parse_values import free_id
from highhall.plan.problems import PlanRefusedError, Problem
from highhall.plan.reader import Node


def add_return(plan: Plan, name: str, chain: tuple[Step, ...], **fields: Any) -> tuple[Plan, str]:  # noqa: ANN401
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


def set_return(plan: Plan, return_id: str, **fields: Any) -> Plan:  # noqa: ANN401
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
    return _with_chain(plan, return_id, (*chain, added))


def remove_step(plan: Plan, return_id: str, step_id: str) -> Plan:
    """Remove a step with its moves."""
    plan.return_(return_id).step(step_id)
    return _with_chain(plan, return_id, tuple(s for s in plan.return_(return_id).chain if s.id != step_id))


def place_step(plan: Plan, return_id: str, step_id: str, by: int) -> Plan:
    """Move a step earlier (-1) or later (1) in its chain; at an end it stays."""
    chain = list(plan.return_(return_id).chain)
    place = chain.index(plan.return_(return_id).step(step_id))
    chain.insert(min(max(place + by, 0), len(chain) - 1), chain.pop(place))
    return _with_chain(plan, return_id, tuple(chain))


def _with_chain(plan: Plan, return_id: str, chain: tuple[Step, ...]) -> Plan:
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
    parsed = parse_params(kind, Node(dict(params), "", problems))
    if problems:
        raise PlanRefusedError(problems)
    return Step(id=step_id, kind=kind, params=parsed)
