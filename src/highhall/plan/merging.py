"""An edit that was made on a plan which has changed since: both changes are kept where they are of different things."""

from highhall.errors import CoreError
from highhall.plan.differences import Difference, differences
from highhall.plan.edits import checked
from highhall.plan.model import Edit, Plan

_ITEM_PARTS = 2


class ConflictError(CoreError):
    """What an edit changes was changed meanwhile by another."""


def merged(base: Plan, newest: Plan, edit: Edit) -> Plan:
    """Return the newest plan with an edit that was made on an earlier one.

    Raises
    ------
    ConflictError
        If both change the same value, or one removes what the other changes, or the edit would do something else now.
    CoreError
        If the newest plan cannot be edited so.
    """
    try:
        wanted = differences(base, edit(base))
    except (CoreError, KeyError) as error:
        raise ConflictError(_changed_meanwhile(None)) from error
    others = differences(base, newest)
    for mine in wanted:
        for theirs in others:
            if _touch(mine.key, theirs.key):
                raise ConflictError(_changed_meanwhile(theirs))
    result = checked(edit(newest))
    if _changes(differences(newest, result)) != _changes(wanted):
        raise ConflictError(_changed_meanwhile(others[0] if others else None))
    return result


def _touch(one: str, other: str) -> bool:
    """Whether two keys of differences are of the same value, or one of a whole item that the other lies in."""
    first, second = one.split("/"), other.split("/")
    shorter, longer = sorted((first, second), key=len)
    is_item = len(shorter) == _ITEM_PARTS and shorter[0] in {"group", "track", "return"}
    return longer[: len(shorter)] == shorter or (is_item and shorter[1] in longer[1:])


def _changes(found: tuple[Difference, ...]) -> set[tuple[str, str]]:
    return {(difference.key, repr(difference.after)) for difference in found}


def _changed_meanwhile(theirs: Difference | None) -> str:
    if theirs is None:
        return "what you change was changed elsewhere meanwhile; yours was not made. Look at it as it is now, then change it again"
    place = f"{theirs.place}: {theirs.what}, {theirs.section}" if theirs.section else f"{theirs.place}: {theirs.what}"
    return f"{place} was changed elsewhere meanwhile and is {theirs.words[1]} now; your change was not made"
