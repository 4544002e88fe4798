"""What a field stands for: the edit of the core that a path and a typed text make."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from django.http import Http404, QueryDict

from hallweb.desk.entry import EntryError, parse_entry, parse_name
from hallweb.desk.fields import BAND_NAMES, REPEATS_DB, label_of
from highhall.effects.feedback_line import feedback_for_repeats
from highhall.plan import Band, Edit, Group, Plan, Return
from highhall.plan.edits import set_group, set_return, set_step
from highhall.plan.kinds import BAND_PARAMETERS, KINDS, LEVEL, PAN, WIDTH
from highhall.plan.model import ParameterValue

_RETURN_PARAMETERS = {"level_db": LEVEL, "width": WIDTH, "pan": PAN}
_MOST_REPEATS = 171  # at 98 % feedback
_OTHER_SIDE = {"left": "right", "right": "left"}


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
            parameter = _RETURN_PARAMETERS[name]
            value = parse_entry(parameter, text)
            return Change(lambda plan: set_return(plan, return_.id, **{name: value}), label_of(parameter))
        case ["step", step_id, "repeats"]:
            feedback = feedback_for_repeats(_repeats(text), REPEATS_DB)
            return Change(lambda plan: set_step(plan, return_.id, step_id, params={"feedback": feedback}), "Repeats")
        case ["step", step_id, name]:
            parameter = KINDS[return_.step(step_id).kind].parameter(name)
            params = {name: parse_entry(parameter, text)}
            if is_linked and name in _OTHER_SIDE:
                params[_OTHER_SIDE[name]] = params[name]
            return Change(lambda plan: set_step(plan, return_.id, step_id, params=params), label_of(parameter))
        case ["band", step_id, index, name]:
            bands = _with_value(return_.step(step_id).bands, int(index), name, text)
            what = BAND_NAMES[bands[int(index)].shape]
            return Change(lambda plan: set_step(plan, return_.id, step_id, params={"bands": bands}), what)
    raise KeyError(path)


def group_change(group: Group, path: str, text: str) -> Change:
    """Return the change of a band of a group's tone, addressed as band/GROUP/INDEX/NAME; raises as `return_change` does."""
    match path.split("/"):
        case ["band", group.id, index, name]:
            bands = _with_value(group.tone, int(index), name, text)
            return Change(lambda plan: set_group(plan, group.id, tone=bands), BAND_NAMES[bands[int(index)].shape])
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
    value: ParameterValue
    if name == "slope_db_oct":
        value = int(text)
    else:
        value = parse_entry(next(p for p in BAND_PARAMETERS if p.name == name), text)
    changed: dict[str, Any] = {name: value}
    return (*bands[:index], replace(band, **changed), *bands[index + 1 :])
