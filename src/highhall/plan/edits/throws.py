"""Edits of throws: moments in which a value is another, over whatever else holds."""

from collections.abc import Collection, Iterable
from dataclasses import replace
from typing import Unpack

from highhall.errors import CoreError
from highhall.plan.edits.basics import checked, require_inside
from highhall.plan.edits.fields import ThrowFields
from highhall.plan.edits.moves import with_move
from highhall.plan.model import Move, Plan, Target, Throw
from highhall.timing import Position


def add_throws(plan: Plan, target: Target, throws: Iterable[Throw]) -> Plan:
    """Add throws to a target; each takes the place of those that it overlaps.

    Raises
    ------
    CoreError
        If one begins behind the song's end.
    """
    throws = list(throws)
    require_inside(plan, [throw.at for throw in throws])
    move = plan.move(target) or Move(target=target)
    kept = list(move.throws)
    for throw in throws:
        kept = [other for other in kept if not _overlap(plan, throw, other)] + [throw]
    return checked(with_move(plan, replace(move, throws=_in_order(kept))))


def _overlap(plan: Plan, one: Throw, other: Throw) -> bool:
    time = plan.song.time
    (start, end), (begin, close) = (
        (time.seconds_at(throw.at), time.seconds_after(throw.length, throw.at)) for throw in (one, other)
    )
    return start < close and begin < end


def _in_order(throws: Iterable[Throw]) -> tuple[Throw, ...]:
    return tuple(sorted(throws, key=lambda throw: throw.at))


def change_throws(plan: Plan, target: Target, places: Collection[Position], **fields: Unpack[ThrowFields]) -> Plan:
    """Change the throws of a target that begin at some places: value, length, ramp_in, ramp_out; of one also at.

    Raises
    ------
    CoreError
        If there is none of them, or if one is to begin behind the song's end.
    """
    require_inside(plan, [fields["at"]] if "at" in fields else [])
    move = plan.move(target)
    if move is None or not any(throw.at in places for throw in move.throws):
        raise CoreError("this throw is no longer there; nothing was changed")
    changed = [replace(throw, **fields) if throw.at in places else throw for throw in move.throws]
    return checked(with_move(plan, replace(move, throws=_in_order(changed))))


def remove_throws(plan: Plan, target: Target, places: Collection[Position]) -> Plan:
    """Remove the throws of a target that begin at some places."""
    move = plan.move(target) or Move(target=target)
    return checked(with_move(plan, replace(move, throws=tuple(t for t in move.throws if t.at not in places))))
