"""What a field stands for: the edit of the core that a path and a typed text make."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from django.http import Http404

from hallweb.inputs import Inputs
from hallweb.screens.returns.fields import REPEATS_DB
from highhall.effects.feedback_line import feedback_for_repeats
from highhall.plan import Edit, Filter, Group, Plan, Return
from highhall.plan.edits import set_effect, set_group, set_return
from highhall.plan.kinds import FILTER_PARAMETERS, LEVEL, RETURN_MOVABLE
from highhall.wording import EntryError, Form, in_beats, parse_name

_MOST_REPEATS = 171  # at 98 % feedback


@dataclass(frozen=True, slots=True)
class Change:
    """An edit, and what it changes in a word for the history."""

    edit: Edit
    what: str


def posted_change(said: Inputs, plan: Plan, made: Callable[[Plan, str, str], Change]) -> Change:
    """Return what posted fields, each a `path` and a `value`, make of a plan as one change.

    Each field reads the plan that those before it have made: of two values of one filter, the second keeps the first.

    Raises
    ------
    EntryError
        If a text cannot be read.
    Http404
        If a path leads nowhere.
    """
    beat = plan.song.tempos[0].beat
    typed = zip(said.texts("path"), said.texts("value"), strict=False)
    pairs = [(path, in_beats(text, beat) if path.startswith("effect/") else text) for path, text in typed]

    def edit(newest: Plan) -> Plan:
        for path, text in pairs:
            newest = made(newest, path, text).edit(newest)
        return newest

    try:
        whats = [made(plan, path, text).what for path, text in pairs]
    except EntryError:
        raise
    except (KeyError, IndexError, ValueError):
        raise Http404 from None
    return Change(edit, whats[0] if whats else "")


def return_change(return_: Return, path: str, text: str, *, is_linked: bool = False) -> Change:
    """Return the change of a return's field; with `is_linked` the two times of an echo change as one.

    It raises EntryError for a text that cannot be read, and KeyError, IndexError or ValueError for a path that is none.
    """
    match path.split("/"):
        case ["return", "name"]:
            name = parse_name(text)
            return Change(lambda plan: set_return(plan, return_.id, name=name), "Name")
        case ["return", "heading"]:
            heading = parse_name(text) if text.strip() else None
            return Change(lambda plan: set_return(plan, return_.id, heading=heading), "Heading")
        case ["return", "mute"]:
            return Change(lambda plan: set_return(plan, return_.id, mute=not return_.mute), "Mute")
        case ["return", "output"]:
            return Change(lambda plan: set_return(plan, return_.id, output=text), "Output")
        case ["return", name]:
            parameter = RETURN_MOVABLE[name]
            values: dict[str, Any] = {name: parameter.read(text)}
            return Change(lambda plan: set_return(plan, return_.id, **values), parameter.label)
        case ["effect", effect_id, "repeats"]:
            feedback = feedback_for_repeats(_repeats(text), REPEATS_DB)
            return Change(
                lambda plan: set_effect(plan, return_.id, effect_id, params={"feedback": feedback}), "Repeats"
            )
        case ["effect", effect_id, name]:
            parameter = return_.effect(effect_id).table.parameter(name)
            params: dict[str, Any] = {name: parameter.read(text)}
            if is_linked and parameter.mirror and parameter.form is Form.TIME:
                params[parameter.mirror] = params[name]
            return Change(lambda plan: set_effect(plan, return_.id, effect_id, params=params), parameter.label)
        case ["filter", effect_id, index, name]:
            filters = _with_value(return_.effect(effect_id).filters, int(index), name, text)
            what = filters[int(index)].label
            return Change(lambda plan: set_effect(plan, return_.id, effect_id, params={"bands": filters}), what)
    raise KeyError(path)


def group_change(group: Group, path: str, text: str) -> Change:
    """Return the change of a group's level or mute, or of a filter of its tone, addressed as filter/GROUP/INDEX/NAME.

    It raises as `return_change` does.
    """
    match path.split("/"):
        case ["group", "level_db"]:
            level_db: Any = LEVEL.read(text)
            return Change(lambda plan: set_group(plan, group.id, level_db=level_db), LEVEL.label)
        case ["group", "mute"]:
            return Change(lambda plan: set_group(plan, group.id, mute=not group.mute), "Mute")
        case ["filter", group.id, index, name]:
            filters = _with_value(group.tone, int(index), name, text)
            return Change(lambda plan: set_group(plan, group.id, tone=filters), filters[int(index)].label)
    raise KeyError(path)


def _repeats(text: str) -> int:
    try:
        count = int(text)
    except ValueError:
        count = 0
    if not 1 <= count <= _MOST_REPEATS:
        raise EntryError(f"Type a whole number from 1 to {_MOST_REPEATS}.")
    return count


def _with_value(filters: tuple[Filter, ...], index: int, name: str, text: str) -> tuple[Filter, ...]:
    filter_ = filters[index]
    changed: dict[str, Any] = {name: FILTER_PARAMETERS[name].read(text)}
    return (*filters[:index], replace(filter_, **changed), *filters[index + 1 :])
