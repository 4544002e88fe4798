"""Edits that give a plan one thing of another: what `differences` takes over, unchecked."""

from dataclasses import replace
from typing import Any

from highhall.plan.edits import (
    remove_group,
    remove_return,
    remove_tracks,
    set_group,
    set_return,
    set_tracks,
)
from highhall.plan.edits.moves import clear_section_value, with_move, with_section
from highhall.plan.model import Edit, Group, Move, Plan, Return, SectionValue, SendTarget, Target, Track


def setting_song(values: dict[str, Any]) -> Edit:
    """Return what gives the song other values, by field."""
    return lambda plan: replace(plan, song=replace(plan.song, **values))


def removing(kind: str, key: str) -> Edit:
    """Return what removes a group, track or return; `kind` says which of them."""
    match kind:
        case "group":
            return lambda plan: remove_group(plan, key)
        case "track":
            return lambda plan: remove_tracks(plan, [key])
    return lambda plan: remove_return(plan, key)


def setting(kind: str, key: str, name: str, value: Any) -> Edit:  # noqa: ANN401 - any field's value
    """Return what gives one field of a group, track or return another value."""
    values = {name: value}
    match kind:
        case "group":
            return lambda plan: set_group(plan, key, **values)
        case "track":
            return lambda plan: set_tracks(plan, [key], **values)
    return lambda plan: set_return(plan, key, **values)


def sorting(kind: str, wanted: list[str]) -> Edit:
    """Return what puts groups, tracks or returns in the wanted order; those that it does not name stay where they are."""

    def take(plan: Plan) -> Plan:
        items = {item.id: item for item in getattr(plan, f"{kind}s")}
        places = iter(items[key] for key in wanted)
        changed: Any = {f"{kind}s": tuple(next(places) if key in wanted else item for key, item in items.items())}
        return replace(plan, **changed)

    return take


def setting_section(target: Target, section: str, value: SectionValue | None) -> Edit:
    """Return what gives a moved value another value in one section; None lets it be as in the song."""
    if value is None:
        return lambda plan: clear_section_value(plan, target, section)
    return lambda plan: with_section(plan, target, value)


def setting_layer(target: Target, **layer: Any) -> Edit:  # noqa: ANN401 - points or throws
    """Return what gives a moved value other points or throws."""
    return lambda plan: with_move(plan, replace(plan.move(target) or Move(target=target), **layer))


def adding(other: Plan, kind: str, key: str) -> Edit:
    """Return what adds an item with the sends and moves that it has in another plan, as far as their ends are in this one."""
    items: tuple[Group | Track | Return, ...] = getattr(other, f"{kind}s")
    item = next(each for each in items if each.id == key)

    def take(plan: Plan) -> Plan:
        ids = {*plan.names, key}
        field = f"{kind}s"
        there = {each.id for each in getattr(plan, field)}
        after = [each.id for each in items[items.index(item) + 1 :] if each.id in there]
        kept = list(getattr(plan, field))
        place = next((i for i, each in enumerate(kept) if after and each.id == after[0]), len(kept))
        kept.insert(place, item)
        sends = [s for s in other.sends if key in (s.source, s.target) and {s.source, s.target} <= ids]
        pairs = {(s.source, s.target) for s in sends}
        moves = [m for m in other.moves if _belongs(m.target, key, pairs)]
        changed: Any = {field: tuple(kept), "sends": (*plan.sends, *sends), "moves": (*plan.moves, *moves)}
        return replace(plan, **changed)

    return take


def adding_send(other: Plan, pair: tuple[str, str]) -> Edit:
    """Return what adds a send with the moves that it has in another plan."""
    send = other.send(*pair)
    moves = [m for m in other.moves if _belongs(m.target, "", {pair})]

    def take(plan: Plan) -> Plan:
        added = () if send is None else (send,)
        return replace(plan, sends=(*plan.sends, *added), moves=(*plan.moves, *moves))

    return take


def _belongs(target: Target, return_id: str, pairs: set[tuple[str, str]]) -> bool:
    if isinstance(target, SendTarget):
        return (target.source, target.target) in pairs
    return target.target == return_id
