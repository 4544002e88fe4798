"""Edits of returns and the effects of their chains."""

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
from highhall.plan.model import Effect, EffectTarget, Move, ParameterValue, Plan, Return, ReturnTarget
from highhall.plan.problems import PlanRefusedError, Problem


def add_return(plan: Plan, name: str, chain: tuple[Effect, ...], **fields: Unpack[FaderFields]) -> tuple[Plan, str]:
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
        if isinstance(m.target, (ReturnTarget, EffectTarget)) and m.target.target == return_id
    ]
    place = plan.returns.index(original) + 1
    returns = (*plan.returns[:place], copy, *plan.returns[place:])
    copied = replace(plan, returns=returns, sends=(*plan.sends, *sends), moves=(*plan.moves, *moves))
    return checked(copied), copy.id


def place_return(plan: Plan, return_id: str, by: int) -> Plan:
    """Move a return earlier (-1) or later (1) in the list; at an end it stays."""
    return checked(replace(plan, returns=shifted(plan.returns, plan.return_(return_id), by)))


def put_return_before(plan: Plan, return_id: str, before: str | None) -> Plan:
    """Move a return to where another one stands in the list; None moves it to the end."""
    moved = plan.return_(return_id)
    others = [r for r in plan.returns if r is not moved]
    place = len(others) if before is None else others.index(plan.return_(before))
    return checked(replace(plan, returns=(*others[:place], moved, *others[place:])))


def swap_sides(plan: Plan, return_id: str, effect_id: str) -> Plan:
    """Swap all that an effect has for left and for right."""
    effect = plan.return_(return_id).effect(effect_id)
    mirrors = {parameter.name: parameter.mirror for parameter in effect.table.parameters if parameter.mirror}
    if not mirrors:
        sided = ", ".join(kind.name for kind in KINDS.values() if any(p.mirror for p in kind.parameters))
        raise CoreError(f"{effect.kind} has no sides to swap; these have: {sided}")
    return set_effect(plan, return_id, effect_id, params={to: effect.value(of) for to, of in mirrors.items()})


def set_return(plan: Plan, return_id: str, **fields: Unpack[ReturnFields]) -> Plan:
    """Change a return's own fields: name, level_db, width, pan, mute, output."""
    return checked(replace(plan, returns=replaced(plan.returns, return_id, lambda r: replace(r, **fields))))


def set_effect(
    plan: Plan, return_id: str, effect_id: str, *, on: bool | None = None, params: Mapping[str, ParameterValue]
) -> Plan:
    """Change some parameters of an effect, or switch it."""

    def change(effect: Effect) -> Effect:
        merged = MappingProxyType({**effect.params, **params})
        return replace(effect, params=merged, on=effect.on if on is None else on)

    return checked(
        replace(
            plan,
            returns=replaced(plan.returns, return_id, lambda r: replace(r, chain=replaced(r.chain, effect_id, change))),
        )
    )


def add_effect(plan: Plan, return_id: str, effect: Effect) -> Plan:
    """Add an effect at the end of a chain, under an id that is free there."""
    chain = plan.return_(return_id).chain
    added = replace(effect, id=free_id(effect.id, {each.id for each in chain}))
    return set_chain(plan, return_id, (*chain, added))


def remove_effect(plan: Plan, return_id: str, effect_id: str) -> Plan:
    """Remove an effect with its moves."""
    plan.return_(return_id).effect(effect_id)
    return set_chain(plan, return_id, tuple(s for s in plan.return_(return_id).chain if s.id != effect_id))


def exchange_effect(plan: Plan, return_id: str, effect_id: str, effect: Effect) -> Plan:
    """Put another effect in an effect's place, under its id; the moves of the old one go unless both are of one kind."""
    old = plan.return_(return_id).effect(effect_id)

    def fits(move: Move) -> bool:
        target = move.target
        is_its = isinstance(target, EffectTarget) and (target.target, target.effect) == (return_id, effect_id)
        return not is_its or old.kind == effect.kind

    new = replace(effect, id=effect_id)
    changed = replaced(plan.returns, return_id, lambda r: replace(r, chain=replaced(r.chain, effect_id, lambda _: new)))
    return checked(replace(plan, returns=changed, moves=tuple(filter(fits, plan.moves))))


def place_effect(plan: Plan, return_id: str, effect_id: str, by: int) -> Plan:
    """Move an effect earlier (-1) or later (1) in its chain; at an end it stays."""
    return_ = plan.return_(return_id)
    return set_chain(plan, return_id, shifted(return_.chain, return_.effect(effect_id), by))


def set_chain(plan: Plan, return_id: str, chain: tuple[Effect, ...]) -> Plan:
    """Give a return another chain; the moves of effects that are no longer in it go."""
    kept = {effect.id for effect in chain}

    def is_kept(move: Move) -> bool:
        target = move.target
        return not isinstance(target, EffectTarget) or target.target != return_id or target.effect in kept

    changed = replaced(plan.returns, return_id, lambda r: replace(r, chain=chain))
    return checked(replace(plan, returns=changed, moves=tuple(move for move in plan.moves if is_kept(move))))


def effect_of_kind(kind: str, effect_id: str, params: Mapping[str, Any]) -> Effect:
    """Make an effect from parameters as JSON writes them.

    Raises
    ------
    PlanRefusedError
        If a parameter is unknown, missing or out of range.
    """
    problems: list[Problem] = []
    parsed = read_params(kind, Node(dict(params), "", problems))
    if problems:
        raise PlanRefusedError(problems)
    return Effect(id=effect_id, kind=kind, params=parsed)
