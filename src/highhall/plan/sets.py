"""Sets of returns that are kept, carried to other songs, and varied.

A set is returns with their chains and the sends among them. It holds no feeds and no moves, which belong to a song,
and no duck steps, which listen to a song's tracks.
"""

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from types import MappingProxyType
from typing import Any

from highhall.plan.edits import checked, free_name, id_from_name
from highhall.plan.edits.basics import taken_ids
from highhall.plan.format import Document, document_of, plan_from_document
from highhall.plan.kinds import Parameter
from highhall.plan.model import MAIN, Effect, ParameterValue, Plan, Return, Send
from highhall.plan.problems import PlanRefusedError, Problem
from highhall.timing import Milliseconds, NoteValue, steps_longer
from highhall.wording import Form

FORMAT = "high-hall-returns"
VERSION = 1
LONGEST_NOTE = 4000

_BARE: Document = {
    "format": "high-hall-plan",
    "version": 1,
    "song": {
        "title": "A set",
        "sample_rate": 48000,
        "meters": [{"bar": 1, "beats": 4, "unit": 4}],
        "tempos": [{"at": "1|1", "bpm": 200}],
        "end": "2|1",
    },
}
"""A song just to check a set in, fast enough for every note value that any song may use."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ReturnSet:
    """Returns under a name, with a note on what they are for. `sends` are those among them."""

    name: str
    note: str = ""
    returns: tuple[Return, ...]
    sends: tuple[Send, ...] = ()


def set_of(plan: Plan, return_ids: Collection[str], name: str, note: str = "") -> ReturnSet:
    """Return some of a plan's returns as a set, all going to main."""
    returns = tuple(
        replace(r, output=MAIN, mute=False, chain=tuple(s for s in r.chain if not s.source))
        for r in plan.returns
        if r.id in return_ids
    )
    sends = tuple(s for s in plan.sends if s.source in return_ids and s.target in return_ids)
    return ReturnSet(name=name, note=note, returns=returns, sends=sends)


def varied(kept: ReturnSet, *, size: float = 1.0, steps: int = 0) -> ReturnSet:
    """Return the set with spaces `size` times as large and all times so many steps of the ladder longer.

    Decays grow with size, as those of a room of the same walls do (Sabine: V / S). What a value's limits cut off is cut.
    """
    return replace(
        kept,
        returns=tuple(replace(r, chain=tuple(_varied_effect(s, size, steps) for s in r.chain)) for r in kept.returns),
    )


def _varied_effect(effect: Effect, size: float, steps: int) -> Effect:
    params = dict(effect.params)
    for parameter in effect.table.parameters:
        value = effect.value(parameter.name)
        if parameter.form is Form.TIME and value != Milliseconds(0):
            params[parameter.name] = _longer(parameter, effect, steps)
        elif parameter.grows_with_space and size != 1:
            params[parameter.name] = _within(parameter, effect.number(parameter.name) * size)
    return replace(effect, params=MappingProxyType(params))


def _longer(parameter: Parameter, effect: Effect, steps: int) -> ParameterValue:
    time = steps_longer(effect.time(parameter.name), steps)
    return time if isinstance(time, NoteValue) else Milliseconds(_within(parameter, time.ms))


def _within(parameter: Parameter, value: float) -> float:
    return round(min(max(value, parameter.low), parameter.high), 4)


def add_set(plan: Plan, kept: ReturnSet, *, output: str = MAIN) -> tuple[Plan, Sequence[str]]:
    """Add a set's returns after the others, under names and ids that are free; return the plan and the new ids.

    Raises
    ------
    PlanRefusedError
        If the song does not allow it: a note value may last too long at its tempo.
    """
    names = {r.name for r in plan.returns}
    taken = taken_ids(plan)
    new_ids: dict[str, str] = {}
    returns = []
    for return_ in kept.returns:
        name = free_name(return_.name, names)
        new_ids[return_.id] = id_from_name(name, taken)
        names.add(name)
        taken.add(new_ids[return_.id])
        returns.append(replace(return_, id=new_ids[return_.id], name=name, output=output))
    sends = [replace(s, source=new_ids[s.source], target=new_ids[s.target]) for s in kept.sends]
    added = replace(plan, returns=(*plan.returns, *returns), sends=(*plan.sends, *sends))
    return checked(added), list(new_ids.values())


def set_document(kept: ReturnSet) -> Document:
    """Return the set as a JSON document; its returns and sends are written as in a plan."""
    parts = document_of(replace(plan_from_document(_BARE), returns=kept.returns, sends=kept.sends))
    return {
        "format": FORMAT,
        "version": VERSION,
        "name": kept.name,
        "note": kept.note,
        "returns": parts["returns"],
        "sends": parts["sends"],
    }


def set_from_document(document: Any) -> ReturnSet:  # noqa: ANN401 - JSON is any value
    """Read a set.

    Raises
    ------
    PlanRefusedError
        With every fault that was found, each with its path.
    """
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise PlanRefusedError([Problem("format", f'a set of returns says "format": "{FORMAT}"')])
    if document.get("version") != VERSION:
        raise PlanRefusedError([Problem("version", f"expected version {VERSION}, got {document.get('version')!r}")])
    problems = [
        Problem(key, f'"{key}" is not part of a set of returns')
        for key in document.keys() - {"format", "version", "name", "note", "returns", "sends"}
    ]
    name, note = document.get("name", ""), document.get("note", "")
    if not (isinstance(name, str) and 1 <= len(name) <= 120):
        problems.append(Problem("name", "expected a name of 1 to 120 characters"))
    if not (isinstance(note, str) and len(note) <= LONGEST_NOTE):
        problems.append(Problem("note", f"expected a text of up to {LONGEST_NOTE} characters"))
    if not document.get("returns"):
        problems.append(Problem("returns", "expected a list of at least one return"))
    if problems:
        raise PlanRefusedError(problems)
    plan = plan_from_document({**_BARE, "returns": document["returns"], "sends": document.get("sends", [])})
    return ReturnSet(name=name, note=note, returns=plan.returns, sends=plan.sends)
