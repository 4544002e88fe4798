"""What differs between two plans, value by value, and taking single differences over."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial
from typing import Any

from highhall.errors import CoreError
from highhall.plan.edits import (
    checked,
    remove_send,
    set_chain,
    set_effect,
    set_send,
    set_space,
)
from highhall.plan.edits.wishes import SpaceFields, with_targets
from highhall.plan.format import Document, document_of
from highhall.plan.json.records import fields_of
from highhall.plan.kinds import KINDS, ON, Parameter
from highhall.plan.model import (
    DepthTarget,
    Edit,
    EffectTarget,
    Group,
    Move,
    MoveValue,
    ParameterValue,
    Plan,
    Return,
    SectionValue,
    Send,
    SendTarget,
    Space,
    Target,
    Track,
)
from highhall.plan.move_table import ramp_in_words, target_place
from highhall.plan.references import movable_parameter
from highhall.plan.taking_over import (
    adding,
    adding_send,
    removing,
    setting,
    setting_layer,
    setting_section,
    setting_song,
    sorting,
)
from highhall.wording import DECIBELS

_FILTERS = KINDS["tone"].parameter("bands")

Value = ParameterValue | MoveValue
_Item = Group | Track | Return


@dataclass(frozen=True, slots=True, eq=False)
class Difference:
    """One thing in which a plan (`before`) and another (`after`) differ.

    `key` names it among all differences. `place` says in the plan's names where it is, `what` which value, as screens
    call it; `section` is the name of the section that it holds in, if in one only. `parameter` tells how the values are
    written; where it is None they are words. `take` gives a plan the other's value, unchecked.
    """

    key: str
    place: str
    what: str
    before: Value
    after: Value
    take: Edit
    parameter: Parameter | None = None
    section: str = ""

    @property
    def words(self) -> tuple[str, str]:
        """Both values in words, with their unit."""
        return self._words(self.before), self._words(self.after)

    def _words(self, value: Value) -> str:
        return str(value) if self.parameter is None else self.parameter.words(value)

    @property
    def by(self) -> str:
        """How far two levels lie apart, in words; empty for anything else."""
        before, after = self.before, self.after
        if self.parameter is None or self.parameter.unit is not DECIBELS:
            return ""
        if not isinstance(before, float) or not isinstance(after, float):
            return ""
        return f"{'+' if after > before else ''}{DECIBELS.words(after - before)}"


def differences(plan: Plan, other: Plan) -> tuple[Difference, ...]:
    """Return in what another plan differs from a plan, in the order in which plans are written."""
    return tuple(_Comparison(plan, other).all())


def take_over(plan: Plan, other: Plan, key: str) -> Plan:
    """Return the plan with one of its differences taken over from another.

    Raises
    ------
    CoreError
        If there is no such difference (any more).
    PlanRefusedError
        If it cannot be taken without others.
    """
    for difference in differences(plan, other):
        if difference.key == key:
            return checked(difference.take(plan))
    raise CoreError("this difference is no longer there; nothing was taken over")


class _Comparison:
    def __init__(self, plan: Plan, other: Plan) -> None:
        self._plan, self._other = plan, other
        self._names = {**other.names, **plan.names}
        self._items: dict[str, tuple[tuple[_Item, ...], tuple[_Item, ...]]] = {
            "group": (plan.groups, other.groups),
            "track": (plan.tracks, other.tracks),
            "return": (plan.returns, other.returns),
        }
        both = {(s.source, s.target) for s in plan.sends} & {(s.source, s.target) for s in other.sends}
        self._common_sends = both
        self._common_ids = set(plan.names) & set(other.names)

    def all(self) -> Iterator[Difference]:
        yield from self._song()
        for kind in self._items:
            yield from self._items_of(kind)
        yield from self._sends()
        yield from self._moves()
        yield from self._wishes()

    def _song(self) -> Iterator[Difference]:
        song, other = self._plan.song, self._other.song
        documents = document_of(self._plan)["song"], document_of(self._other)["song"]
        for fields, what, words in (
            (("title",), "Title", _title),
            (("meters", "tempos", "end"), "Tempo, meter and end", _time),
            (("sections",), "Sections", _sections),
        ):
            before, after = ({name: document[name] for name in fields} for document in documents)
            if before != after:
                values = {name: getattr(other, name) for name in fields}
                take = setting_song(values)
                yield Difference(f"song/{fields[0]}", song.title, what, words(before), words(after), take)

    def _items_of(self, kind: str) -> Iterator[Difference]:
        mine, theirs = ({item.id: item for item in items} for items in self._items[kind])
        for key in dict.fromkeys([*mine, *theirs]):
            name = self._names[key]
            if key not in theirs:
                yield Difference(f"{kind}/{key}", name, kind.capitalize(), "there", "not there", removing(kind, key))
            elif key not in mine:
                added = adding(self._other, kind, key)
                yield Difference(f"{kind}/{key}", name, kind.capitalize(), "not there", "there", added)
            else:
                yield from self._fields(kind, mine[key], theirs[key])
        order, wanted = [key for key in mine if key in theirs], [key for key in theirs if key in mine]
        if order != wanted:
            named = [", ".join(self._names[key] for key in keys) for keys in (order, wanted)]
            yield Difference(f"{kind}-order", f"All {kind}s", "Order", named[0], named[1], sorting(kind, wanted))

    def _fields(self, kind: str, mine: Any, theirs: Any) -> Iterator[Difference]:  # noqa: ANN401 - one of three items
        for field in fields_of(type(mine)):
            before, after = getattr(mine, field.name), getattr(theirs, field.name)
            if before == after:
                continue
            if field.name == "chain":
                yield from self._chain(mine, theirs)
                continue
            take = setting(kind, mine.id, field.name, after)
            if field.name in {"group", "output"}:
                before, after = (self._names.get(value, "Main") for value in (before, after))
            if field.name == "tone":
                before, after = (_FILTERS.words(value) for value in (before, after))
            key = f"{kind}/{mine.id}/{field.name}"
            yield Difference(key, mine.name, field.label, before, after, take, field.parameter)

    def _chain(self, mine: Return, theirs: Return) -> Iterator[Difference]:
        key = f"return/{mine.id}"
        if [(s.id, s.kind) for s in mine.chain] != [(s.id, s.kind) for s in theirs.chain]:
            before, after = (
                ", ".join(effect.table.label.lower() for effect in r.chain) or "no effect" for r in (mine, theirs)
            )
            take = partial(set_chain, return_id=mine.id, chain=theirs.chain)
            yield Difference(f"{key}/chain", mine.name, "Chain", before, after, take)
            return
        for effect, other in zip(mine.chain, theirs.chain, strict=True):
            place, set_it = (
                f"{mine.name}, {effect.table.label.lower()}",
                partial(set_effect, return_id=mine.id, effect_id=effect.id),
            )
            if effect.on != other.on:
                take = partial(set_it, on=other.on, params={})
                yield Difference(f"{key}/{effect.id}/on", place, ON.label, effect.on, other.on, take, ON)
            given = {*effect.params, *other.params}  # what follows from another value is not told
            for parameter in (p for p in effect.table.parameters if p.name in given):
                name, old, new = parameter.name, effect.value(parameter.name), other.value(parameter.name)
                if old != new:
                    take = partial(set_it, params={name: new})
                    yield Difference(f"{key}/{effect.id}/{name}", place, parameter.label, old, new, take, parameter)

    def _sends(self) -> Iterator[Difference]:
        mine, theirs = ({(s.source, s.target): s for s in plan.sends} for plan in (self._plan, self._other))
        for source, target in dict.fromkeys([*mine, *theirs]):
            pair = source, target
            if not set(pair) <= self._common_ids:
                continue  # told with what is not in both
            key, place = f"send/{source}/{target}", self._send_name(source, target)
            if pair not in theirs:
                take = partial(remove_send, source=source, target=target)
                yield Difference(key, place, "Send", "there", "not there", take)
            elif pair not in mine:
                yield Difference(key, place, "Send", "not there", "there", adding_send(self._other, pair))
            else:
                for field in (each for each in fields_of(Send) if each.parameter):
                    before, after = getattr(mine[pair], field.name), getattr(theirs[pair], field.name)
                    if before != after:
                        take = partial(set_send, source=source, target=target, **{field.name: after})
                        yield Difference(
                            f"{key}/{field.name}", place, field.label, before, after, take, field.parameter
                        )

    def _send_name(self, source: str, target: str) -> str:
        return f"{self._names[source]} to {self._names[target]}"

    def _moves(self) -> Iterator[Difference]:
        mine, theirs = ({m.target: m for m in plan.moves} for plan in (self._plan, self._other))
        for target in dict.fromkeys([*mine, *theirs]):
            if not self._is_common(target):
                continue
            before, after = (moves.get(target, Move(target=target)) for moves in (mine, theirs))
            yield from self._move(before, after)

    def _wishes(self) -> Iterator[Difference]:
        for field in fields_of(Space):
            before, after = (getattr(plan.space, field.name) for plan in (self._plan, self._other))
            if before != after:
                fields: SpaceFields = {field.name: after}  # type: ignore[misc]
                take = partial(set_space, **fields)
                words = f"{before:g}", f"{after:g}"
                yield Difference(f"space/{field.name}", "Room for distances", field.label, *words, take)
        mine, theirs = ({(t.source, t.section): t for t in plan.targets} for plan in (self._plan, self._other))
        sections = {s.id: s.name for plan in (self._other, self._plan) for s in plan.song.sections}
        for wish in dict.fromkeys([*mine, *theirs]):
            source, section = wish
            if source in self._common_ids and mine.get(wish) != theirs.get(wish):
                yield Difference(
                    f"target/{source}/{section or 'song'}",
                    self._names[source],
                    "Wanted at",
                    _wanted(mine.get(wish)),
                    _wanted(theirs.get(wish)),
                    partial(with_targets, distances={wish: theirs[wish].distance_m if wish in theirs else None}),
                    section=sections[section] if section else "",
                )

    def _is_common(self, target: Target) -> bool:
        """Whether both plans have what a target moves, so that it is not told with that."""
        if isinstance(target, SendTarget):
            return (target.source, target.target) in self._common_sends
        if isinstance(target, EffectTarget):
            chains = [
                [effect.id for effect in plan.return_(target.target).chain]
                for plan in (self._plan, self._other)
                if target.target in plan.names
            ]
            return len(chains) == 2 and all(target.effect in chain for chain in chains)
        return target.target in self._common_ids

    def _move(self, mine: Move, theirs: Move) -> Iterator[Difference]:
        target = mine.target
        owner = self._plan if mine.sections or mine.points or mine.throws else self._other
        parameter = movable_parameter(owner, target)
        place = target_place(owner, target)
        key = f"move/{_target_key(target)}"
        what = parameter.label
        before, after = ({v.section: v for v in move.sections} for move in (mine, theirs))
        section_names = {s.id: s.name for plan in (self._other, self._plan) for s in plan.song.sections}
        for section in dict.fromkeys([*before, *after]):
            if before.get(section) == after.get(section):
                continue
            values = [_section_value(values.get(section)) for values in (before, after)]
            is_ramp_only = values[0] == values[1]
            if is_ramp_only:
                values = [ramp_in_words(each) or "a jump" for each in (before[section], after[section])]
            yield Difference(
                f"{key}/in/{section}",
                place,
                f"Ramp of {what.lower()}" if is_ramp_only else what,
                values[0],
                values[1],
                setting_section(target, section, after.get(section)),
                None if is_ramp_only else parameter,
                section_names[section],
            )
        for name in ("points", "throws"):
            old, new = getattr(mine, name), getattr(theirs, name)
            if old != new:
                words = [f"{len(each)} {name}" if each else "none" for each in (old, new)]
                if words[0] == words[1]:
                    words[1] = "others"
                take = setting_layer(target, **{name: new})
                what_of = f"{name.capitalize()} of {what.lower()}"
                yield Difference(f"{key}/{name}", place, what_of, words[0], words[1], take)


def _target_key(target: Target) -> str:
    match target:
        case SendTarget():
            return f"send/{target.source}/{target.target}/{target.param}"
        case EffectTarget():
            return f"effect/{target.target}/{target.effect}/{target.param}"
    return f"return/{target.target}/{target.param}"


def _title(song: Document) -> str:
    return str(song["title"])


def _time(song: Document) -> str:
    tempos, meters = song["tempos"], song["meters"]
    more = f", {len(tempos)} tempos" if len(tempos) > 1 else ""
    return f"{tempos[0]['bpm']:g} a minute{more}, {meters[0]['beats']}/{meters[0]['unit']}, ends {song['end']}"


def _sections(song: Document) -> str:
    return ", ".join(section["name"] for section in song["sections"]) or "none"


def _wanted(target: DepthTarget | None) -> str:
    return "nowhere" if target is None else f"{target.distance_m:g} m"


def _section_value(value: SectionValue | None) -> MoveValue:
    return "as in the song" if value is None else value.value
