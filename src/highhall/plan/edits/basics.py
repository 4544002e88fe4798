"""What all edits share."""

import re
from collections.abc import Callable, Collection, Iterable
from dataclasses import replace
from itertools import chain, count
from typing import TypeVar

from highhall.errors import CoreError
from highhall.plan.format import document_of, plan_from_document
from highhall.plan.json.chains import free_id
from highhall.plan.model import MAIN, Depth, Effect, Group, Move, Plan, Return, Section, SendTarget, Track
from highhall.timing import Position
from highhall.wording import position_in_words

_Item = TypeVar("_Item", Group, Track, Return, Effect, Section)


def checked(plan: Plan) -> Plan:
    """Return the plan if it is valid: it is written and read back, so every rule is applied.

    Raises
    ------
    PlanRefusedError
        If it is not.
    """
    return plan_from_document(document_of(plan))


def require_inside(plan: Plan, places: Iterable[Position]) -> None:
    """Refuse places behind the song's end.

    Raises
    ------
    CoreError
        If there is one.
    """
    for place in places:
        if place > plan.song.end:
            raise CoreError(
                f"{position_in_words(place)} lies behind the end of the song, {position_in_words(plan.song.end)}"
            )


def id_from_name(name: str, taken: set[str]) -> str:
    """Return a free id made of a name's letters and digits."""
    words = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:56].strip("-")
    return free_id(words or "item", taken)


def free_name(name: str, taken: Collection[str]) -> str:
    """Return the name, or the name with the first number from 2 on that makes it a new one."""
    numbered = (f"{name[:116]} {number}" for number in count(2))
    return next(each for each in chain([name], numbered) if each not in taken)


def shifted(items: tuple[_Item, ...], item: _Item, by: int) -> tuple[_Item, ...]:
    """Return items with one of them `by` places later, as far as the ends allow."""
    others: list[_Item] = [each for each in items if each is not item]
    place: int = min(max(items.index(item) + by, 0), len(others))
    others.insert(place, item)
    return tuple(others)


def taken_ids(plan: Plan) -> set[str]:
    """Return the ids that tracks, groups and returns have."""
    return {MAIN} | {item.id for items in (plan.groups, plan.tracks, plan.returns) for item in items}


def replaced(items: tuple[_Item, ...], wanted: str, change: Callable[[_Item], _Item]) -> tuple[_Item, ...]:
    """Return items with the one of an id changed.

    Raises
    ------
    CoreError
        If there is none.
    """
    if not any(item.id == wanted for item in items):
        raise CoreError(f'there is no "{wanted}" to change')
    return tuple(change(item) if item.id == wanted else item for item in items)


def without_lost_targets(plan: Plan) -> Plan:
    """Return the plan without wishes for sources and sections that are no longer there. Not checked."""
    if plan.depth is None:
        return plan
    sections = {None, *(section.id for section in plan.song.sections)}
    sources = {item.id for items in (plan.tracks, plan.groups) for item in items}
    kept = tuple(t for t in plan.targets if t.source in sources and t.section in sections)
    depth = replace(plan.depth, targets=kept)
    return replace(plan, depth=None if depth == Depth() else depth)


def without_sends(plan: Plan, is_gone: Callable[[str, str], bool]) -> Plan:
    """Return the plan without the sends of which (source, target) is gone, nor their moves. Not checked."""

    def moves_a_gone_send(move: Move) -> bool:
        return isinstance(move.target, SendTarget) and is_gone(move.target.source, move.target.target)

    return replace(
        plan,
        sends=tuple(send for send in plan.sends if not is_gone(send.source, send.target)),
        moves=tuple(move for move in plan.moves if not moves_a_gone_send(move)),
    )
