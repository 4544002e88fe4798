"""Edits of many sends at once; each is one step for undo."""

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import replace
from typing import Unpack

from highhall.plan.edits.basics import checked, without_sends
from highhall.plan.edits.fields import SendFields, Where
from highhall.plan.edits.moves import with_section_value
from highhall.plan.edits.returns import add_return
from highhall.plan.kinds import LEVEL
from highhall.plan.model import Effect, Plan, Send, SendTarget
from highhall.timing import TimeValue

Pair = tuple[str, str]
"""A send's ends: from a source to a return."""

Level = float | None


def send_level(plan: Plan, pair: Pair, section: str | None = None) -> Level:
    """Return the level of a send, or the one that it has inside a section.

    Raises
    ------
    KeyError
        If there is no such send.
    """
    send = plan.send(*pair)
    if send is None:
        raise KeyError(pair)
    move = plan.move(_level_of(pair)) if section else None
    value = next((v.value for v in move.sections if v.section == section), send.level_db) if move else send.level_db
    return value if isinstance(value, float) or value is None else float(value)  # type: ignore[arg-type]


def set_levels(
    plan: Plan, levels: Mapping[Pair, Level], *, section: str | None = None, ramp: TimeValue | None = None
) -> Plan:
    """Give sends their levels, of their own or inside a section; those that do not exist yet are made.

    A send that is made for a section is silent elsewhere.
    """
    own = {} if section else levels
    sends = [replace(s, level_db=own[s.source, s.target]) if (s.source, s.target) in own else s for s in plan.sends]
    existing = {(s.source, s.target) for s in sends}
    for pair, level in levels.items():
        if pair not in existing:
            sends.append(Send(source=pair[0], target=pair[1], level_db=None if section else level))
    plan = replace(plan, sends=tuple(sends))
    if section:
        for pair, level in levels.items():
            plan = with_section_value(plan, _level_of(pair), section, level, ramp=ramp)
    return checked(plan)


def nudge_sends(plan: Plan, pairs: Collection[Pair], by_db: float, **where: Unpack[Where]) -> Plan:
    """Raise sends by so many dB, no further than levels go; what is silent or not there stays so. `where` as in `set_levels`."""
    return _changed(plan, pairs, lambda level: _within(level + by_db), **where)


def scale_sends(plan: Plan, pairs: Collection[Pair], share: float, **where: Unpack[Where]) -> Plan:
    """Bring sends nearer to the loudest of them (`share` under 1) or further apart from it. `where` as in `set_levels`."""
    levels = [
        level for pair in _there(plan, pairs) if (level := send_level(plan, pair, where.get("section"))) is not None
    ]
    loudest = max(levels, default=0.0)
    return _changed(plan, pairs, lambda level: _within(loudest + (level - loudest) * share), **where)


def change_sends(plan: Plan, pairs: Collection[Pair], **fields: Unpack[SendFields]) -> Plan:
    """Change fields of sends: send_point, on, pan; those that are not there stay so."""
    wanted = set(pairs)
    return checked(
        replace(plan, sends=tuple(replace(s, **fields) if (s.source, s.target) in wanted else s for s in plan.sends))
    )


def clear_sends(plan: Plan, pairs: Collection[Pair]) -> Plan:
    """Remove sends with their moves."""
    wanted = set(pairs)
    return checked(without_sends(plan, lambda source, target: (source, target) in wanted))


def add_return_for(
    plan: Plan, sources: Sequence[str], name: str, chain: tuple[Effect, ...], level_db: float
) -> tuple[Plan, str]:
    """Add a return that some sources feed at a level; return the plan and the new return's id."""
    plan, return_id = add_return(plan, name, chain)
    return set_levels(plan, {(source, return_id): level_db for source in sources}), return_id


def _changed(plan: Plan, pairs: Collection[Pair], change: Callable[[float], float], **where: Unpack[Where]) -> Plan:
    levels = {pair: send_level(plan, pair, where.get("section")) for pair in _there(plan, pairs)}
    return set_levels(plan, {pair: change(level) for pair, level in levels.items() if level is not None}, **where)


def _there(plan: Plan, pairs: Collection[Pair]) -> list[Pair]:
    existing = {(s.source, s.target) for s in plan.sends}
    return [pair for pair in pairs if pair in existing]


def _within(level_db: float) -> float:
    return round(min(max(level_db, LEVEL.low), LEVEL.high), 2)


def _level_of(pair: Pair) -> SendTarget:
    return SendTarget(source=pair[0], target=pair[1], param="level_db")
