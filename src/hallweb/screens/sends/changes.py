"""What can be done to one send and to chosen sends, by the word that the Sends screen's buttons and fields send."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial, reduce
from typing import Any

from django.http import Http404

from hallweb.inputs import Inputs
from hallweb.screens.common.starting_points import STARTS
from hallweb.screens.sends.context import NEW_SEND_DB
from highhall.plan import Edit, Plan, Send, SendTarget
from highhall.plan.edits import (
    add_return_for,
    change_sends,
    clear_section_value,
    clear_sends,
    free_name,
    nudge_sends,
    remove_send,
    scale_sends,
    set_levels,
    set_section_value,
    set_send,
)
from highhall.plan.edits.many_sends import Pair
from highhall.plan.edits.moves import NEW_RAMP
from highhall.plan.kinds import read_level, read_pan
from highhall.wording import EntryError, parse_number

NEW_RETURN_DB = -12.0
LabelledEdit = tuple[str, Edit]


def change_of_one(plan: Plan, source: str, target: str, section: str, said: Inputs) -> LabelledEdit:
    """Return the label and the edit of one send: `field` says what of it; a level may be that of a section.

    Raises
    ------
    Http404
        If there is no such field, or no such send.
    EntryError
        If a level cannot be read.
    """
    field = said.text("field")
    if field == "add":
        return "Add send", partial(set_send, source=source, target=target, level_db=NEW_SEND_DB)
    send = plan.send(source, target)
    if send is None:
        raise Http404
    change = partial(set_send, source=source, target=target)
    match field:
        case "on":
            return "On or off", partial(change, on=not send.on)
        case "send_point":
            send_point = "pre" if send.send_point == "post" else "post"
            return f"Send {send_point} fader", partial(change, send_point=send_point)
        case "level":
            return _level_of_one(send, section, said.text("value").strip())
    raise Http404


def _level_of_one(send: Send, section: str, text: str) -> LabelledEdit:
    level = SendTarget(source=send.source, target=send.target, param="level_db")
    if section and not text:
        return "Clear section value", partial(clear_section_value, target=level, section_id=section)
    if not text:
        return "Remove send", partial(remove_send, source=send.source, target=send.target)
    if text.lower() == "off":
        return _switched_off(send, section)
    level_db = read_level(text)
    if section:
        return "Level in section", lambda p: set_section_value(p, level, section, level_db, ramp=NEW_RAMP)
    return "Level", partial(set_send, source=send.source, target=send.target, level_db=level_db)


def _switched_off(send: Send, section: str) -> LabelledEdit:
    """Return how a send is switched off, with its level kept; in a section by a move of its switch."""
    if section:
        on = SendTarget(source=send.source, target=send.target, param="on")
        return "Off in section", lambda p: set_section_value(p, on, section, False)
    return "Off", partial(set_send, source=send.source, target=send.target, on=False)


@dataclass(frozen=True, slots=True)
class Chosen:
    """The chosen sends of a plan, where their levels are set, and what the request says: `value` is what was typed."""

    plan: Plan
    pairs: Sequence[Pair]
    section: str
    said: Inputs

    @property
    def value(self) -> str:
        """What was typed."""
        return self.said.text("value")

    @property
    def where(self) -> dict[str, Any]:
        """The section of new levels and their ramp; both None for the whole song."""
        return {"section": self.section or None, "ramp": NEW_RAMP if self.section else None}


def change_of_many(chosen: Chosen) -> LabelledEdit:
    """Return the label and the edit of what the request asks for.

    Raises
    ------
    Http404
        If it asks for nothing that is known.
    EntryError
        If a text cannot be read.
    """
    return _CHANGES[chosen.said.choice("do", _CHANGES)](chosen)


def _levels(label: str, chosen: Chosen, levels: Mapping[Pair, float | None]) -> LabelledEdit:
    return label, lambda plan: set_levels(plan, levels, **chosen.where)


def _set(chosen: Chosen) -> LabelledEdit:
    if chosen.value.strip().lower() == "off":
        on = [_switched_off(send, chosen.section)[1] for pair in chosen.pairs if (send := chosen.plan.send(*pair))]
        return "Off", lambda plan: reduce(lambda changed, edit: edit(changed), on, plan)
    return _levels("Set", chosen, dict.fromkeys(chosen.pairs, read_level(chosen.value)))


def _unity(chosen: Chosen) -> LabelledEdit:
    return _levels("Unity", chosen, dict.fromkeys(chosen.pairs, 0.0))


def _paste(chosen: Chosen) -> LabelledEdit:
    levels = [read_level(each) for each in chosen.said.texts("level")]
    if len(levels) != len(chosen.pairs):
        raise Http404
    return _levels("Paste", chosen, dict(zip(chosen.pairs, levels, strict=True)))


def _nudge(chosen: Chosen) -> LabelledEdit:
    by_db = parse_number(chosen.value, "Type by how many dB, such as 0.5 or -2.")
    return "Nudge", lambda plan: nudge_sends(plan, chosen.pairs, by_db, **chosen.where)


def _scale(chosen: Chosen) -> LabelledEdit:
    percent = parse_number(chosen.value.rstrip("% "), "Type how far apart they are to be in per cent, such as 50.")
    return "Scale", lambda plan: scale_sends(plan, chosen.pairs, percent / 100, **chosen.where)


def _pan(chosen: Chosen) -> LabelledEdit:
    return "Pan", partial(change_sends, pairs=chosen.pairs, pan=read_pan(chosen.value))


def _clear(chosen: Chosen) -> LabelledEdit:
    return "Clear", partial(clear_sends, pairs=chosen.pairs)


def _fields(label: str, fields: Mapping[str, Any], chosen: Chosen) -> LabelledEdit:
    return label, partial(change_sends, pairs=chosen.pairs, **fields)


def _return(chosen: Chosen) -> LabelledEdit:
    point = STARTS.get(chosen.said.text("start"))
    if point is None:
        raise EntryError("Choose what the new return starts from.")
    returns = {r.id for r in chosen.plan.returns}
    sources = [source for source in dict.fromkeys(source for source, _ in chosen.pairs) if source not in returns]
    name = free_name(point.name, {r.name for r in chosen.plan.returns})
    return f"New return {name}", lambda plan: add_return_for(plan, sources, name, (point.effect,), NEW_RETURN_DB)[0]


_CHANGES: Mapping[str, Callable[[Chosen], LabelledEdit]] = {
    "set": _set,
    "unity": _unity,
    "paste": _paste,
    "nudge": _nudge,
    "scale": _scale,
    "pan": _pan,
    "pre": partial(_fields, "Pre fader", {"send_point": "pre"}),
    "post": partial(_fields, "Post fader", {"send_point": "post"}),
    "on": partial(_fields, "On", {"on": True}),
    "off": partial(_fields, "Off", {"on": False}),
    "clear": _clear,
    "return": _return,
}
