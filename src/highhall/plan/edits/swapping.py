"""Two returns change places inside a section: what is heard of the feeds of one is heard of those of the other."""

from collections.abc import Mapping
from dataclasses import replace

from highhall.errors import CoreError
from highhall.plan.edits.moves import Cell, set_cells, value_in
from highhall.plan.kinds import LEVEL
from highhall.plan.model import Group, MoveValue, Plan, Return, Send, SendTarget, Track

_HEARD = ("level_db", "on", "pan")


def swap_returns(plan: Plan, first: str, second: str, section: str) -> Plan:
    """Let everything that feeds one return feed the other inside a section, and the other way round.

    Levels, pans and what is switched off are swapped; a send that is missing is made and is silent elsewhere. Where one
    send leaves before the fader and the other behind it, the levels make up for the fader, so that what is heard is
    swapped. Points and throws stay where they are.

    Raises
    ------
    CoreError
        If nothing feeds either, if both are fed alike, or if a closed fader stands between the two send points.
    """
    sources = dict.fromkeys(
        send.source for send in plan.sends if send.target in (first, second) and send.source not in (first, second)
    )
    if not sources:
        raise CoreError("nothing feeds these two returns, so there is nothing to swap")
    values: dict[Cell, MoveValue] = {}
    for source in sources:
        plan, pair = _both_sends(plan, source, first, second)
        values |= _swapped(plan, pair, section)
    if not values:
        raise CoreError("both returns are fed alike there, so a swap would change nothing")
    return set_cells(plan, values)


def _both_sends(plan: Plan, source: str, first: str, second: str) -> tuple[Plan, tuple[Send, Send]]:
    """Return the plan with both sends of a source; the one that was missing is switched off."""
    one, other = plan.send(source, first), plan.send(source, second)
    if one is None and other is not None:
        one = replace(other, target=first, on=False)
        plan = replace(plan, sends=(*plan.sends, one))
    elif other is None and one is not None:
        other = replace(one, target=second, on=False)
        plan = replace(plan, sends=(*plan.sends, other))
    if one is None or other is None:
        raise KeyError(source)
    return plan, (one, other)


def _swapped(plan: Plan, pair: tuple[Send, Send], section: str) -> Mapping[Cell, MoveValue]:
    values: dict[Cell, MoveValue] = {}
    for param in _HEARD:
        cells = [(SendTarget(source=send.source, target=send.target, param=param), section) for send in pair]
        one, other = (value_in(plan, cell) for cell in cells)
        if param == LEVEL.name:
            one, other = _moved_by(plan, pair[0], pair[1], other), _moved_by(plan, pair[1], pair[0], one)
            values |= {
                cell: level for cell, level in zip(cells, (one, other), strict=True) if level != value_in(plan, cell)
            }
        elif one != other:
            values |= {cells[0]: other, cells[1]: one}
    return values


def _moved_by(plan: Plan, to: Send, of: Send, level: MoveValue) -> MoveValue:
    """Return a level of one send as the other has to have it to be heard alike."""
    if to.send_point == of.send_point or not isinstance(level, float):
        return level
    parts: tuple[Track | Group | Return, ...] = (*plan.tracks, *plan.groups, *plan.returns)
    source = next(each for each in parts if each.id == of.source)
    if source.level_db is None or source.mute:
        raise CoreError(f"{source.name} is closed, so what it sends before and behind its fader cannot be swapped")
    moved = level + source.level_db if of.send_point == "post" else level - source.level_db
    limited: float = min(max(moved, LEVEL.low), LEVEL.high)
    return limited
