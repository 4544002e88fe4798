"""What a field stands for: the edit of the core that a path and a typed text make."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from django.http import Http404, QueryDict

from hallweb.screens.returns.fields import REPEATS_DB
from highhall.effects.feedback_line import feedback_for_repeats
from highhall.plan import Band, Edit, Group, Plan, Return
from highhall.plan.edits import set_group, set_return, set_step
from highhall.plan.kinds import BANDS, RETURN_MOVABLE
from highhall.wording import EntryError, Form, parse_name

_MOST_REPEATS = 171  # at 98 % feedback


@dataclass(frozen=True, slots=True)
class Change:
    """An edit, and what it changes in a word for the history."""

    edit: Edit
    what: str


def posted_change(fields: QueryDict, plan: Plan, made: Callable[[Plan, str, str], Change]) -> Change:
    """Return what posted fields, each a `path` and a `value`, make of a plan as one change.

    Each field reads the plan that those before it have made: of two values of one filter, the second keeps the first.

    Raises
    ------
    EntryError
        If a text cannot be read.
    Http404
        If a path leads nowhere.
    """
    pairs = list(zip(fields.getlist("path"), fields.getlist("value"), strict=False))

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
        case ["return", "mute"]:
            return Change(lambda plan: set_return(plan, return_.id, mute=not return_.mute), "Mute")
        case ["return", "output"]:
            return Change(lambda plan: set_return(plan, return_.id, output=text), "Output")
        case ["return", name]:
            parameter = RETURN_MOVABLE[name]
            values: dict[str, Any] = {name: parameter.read(text)}
            return Change(lambda plan: set_return(plan, return_.id, **values), parameter.label)
        case ["step", step_id, "repeats"]:
            feedback = feedback_for_repeats(_repeats(text), REPEATS_DB)
            return Change(lambda plan: set_step(plan, return_.id, step_id, params={"feedback": feedback}), "Repeats")
        case ["step", step_id, name]:
            parameter = return_.step(step_id).table.parameter(name)
            params: dict[str, Any] = {name: parameter.read(text)}
            if is_linked and parameter.mirror and parameter.form is Form.TIME:
                params[parameter.mirror] = params[name]
            return Change(lambda plan: set_step(plan, return_.id, step_id, params=params), parameter.label)
        case ["band", step_id, index, name]:
            bands = _with_value(return_.step(step_id).bands, int(index), name, text)
            what = bands[int(index)].label
            return Change(lambda plan: set_step(plan, return_.id, step_id, params={"bands": bands}), what)
    raise KeyError(path)


def group_change(group: Group, path: str, text: str) -> Change:
    """Return the change of a band of a group's tone, addressed as band/GROUP/INDEX/NAME; raises as `return_change` does."""
    match path.split("/"):
        case ["band", group.id, index, name]:
            bands = _with_value(group.tone, int(index), name, text)
            return Change(lambda plan: set_group(plan, group.id, tone=bands), bands[int(index)].label)
    raise KeyError(path)


def _repeats(text: str) -> int:
    try:
        count = int(text)
    except ValueError:
        count = 0
    if not 1 <= count <= _MOST_REPEATS:
        raise EntryError(f"Type a whole number from 1 to {_MOST_REPEATS}.")
    return count


def _with_value(bands: tuple[Band, ...], index: int, name: str, text: str) -> tuple[Band, ...]:
    band = bands[index]
    changed: dict[str, Any] = {name: BANDS[name].read(text)}
    return (*bands[:index], replace(band, **changed), *bands[index + 1 :])
