"""What can be done to chosen cells of the Moves screen, by the word that its buttons and fields send."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial, reduce
from typing import Any

from hallweb.inputs import Inputs
from hallweb.screens.moves.entry import parse_value
from hallweb.screens.moves.throwing import thrown_at_phrases
from hallweb.songs.actions import SongState
from highhall.plan import Edit, Plan, Target
from highhall.plan.edits import (
    clear_cells,
    copy_section,
    nudge_cells,
    remove_move,
    set_bends,
    set_cells,
    set_ramps,
    swap_returns,
)
from highhall.plan.edits.moves import Cell
from highhall.plan.model import MoveValue
from highhall.wording import EntryError, parse_length, parse_number

LabelledEdit = tuple[str, Edit]


@dataclass(frozen=True, slots=True)
class Chosen:
    """The chosen cells of a song, and what the request says of them: `value` is what was typed."""

    opened: SongState
    cells: Sequence[Cell]
    said: Inputs

    @property
    def plan(self) -> Plan:
        """The plan as the request finds it."""
        return self.opened.plan

    @property
    def value(self) -> str:
        """What was typed."""
        return self.said.text("value")

    @property
    def targets(self) -> list[Target]:
        """What moves in them, each once."""
        return list(dict.fromkeys(target for target, _ in self.cells))

    @property
    def sections(self) -> list[str]:
        """The sections they lie in, each once."""
        return list(dict.fromkeys(section for _, section in self.cells))


def change_of(chosen: Chosen) -> LabelledEdit:
    """Return the label and the edit of what the request asks for.

    Raises
    ------
    Http404
        If it asks for nothing that is known.
    EntryError
        If a text cannot be read.
    CoreError
        If there is nothing to throw.
    """
    return _CHANGES[chosen.said.choice("do", _CHANGES)](chosen)


def _set(chosen: Chosen) -> LabelledEdit:
    if not chosen.value.strip():
        return _clear(chosen)
    values: dict[Cell, MoveValue] = {cell: parse_value(chosen.plan, cell[0], chosen.value) for cell in chosen.cells}
    return "Set", partial(set_cells, values=values)


def _nudge(chosen: Chosen) -> LabelledEdit:
    by_db = parse_number(chosen.value, "Type by how many dB, such as 0.5 or -2.")
    return "Nudge", partial(nudge_cells, cells=chosen.cells, by_db=by_db)


def _clear(chosen: Chosen) -> LabelledEdit:
    return "Clear section value", partial(clear_cells, cells=chosen.cells)


def _paste(chosen: Chosen) -> LabelledEdit:
    pairs = zip(chosen.cells, chosen.said.texts("level"), strict=False)
    return "Paste", partial(set_cells, values={cell: parse_value(chosen.plan, cell[0], each) for cell, each in pairs})


def _ramp(chosen: Chosen) -> LabelledEdit:
    ramp = parse_length(chosen.value) if chosen.value.strip() else None
    side = chosen.said.choice("side", {"before", "after"}, "before")
    return "Ramp", partial(set_ramps, cells=chosen.cells, ramp=ramp, side=side)


def _bend(chosen: Chosen) -> LabelledEdit:
    percent = parse_number(chosen.value or "0", "Type by how many per cent, such as 40 or -40; 0 is straight.")
    return "Bend of the ramp", partial(set_bends, cells=chosen.cells, bend=percent / 100)


def _like(chosen: Chosen) -> LabelledEdit:
    source = chosen.said.item_or_none("like", chosen.plan.song.sections)
    if source is None:
        raise EntryError("Choose the section that these are to be like.")
    add_db = parse_number(chosen.value or "0", "Type by how many dB louder, such as 2.")

    def copied(plan: Plan, section: str) -> Plan:
        return copy_section(plan, chosen.targets, source.id, section, add_db=add_db)

    return f"Like {source.name}", _each(copied, chosen.sections)


def _swap(chosen: Chosen) -> LabelledEdit:
    returns = {target.target for target in chosen.targets}
    other = chosen.said.item_or_none("like", chosen.plan.returns)
    if len(returns) != 1 or other is None:
        raise EntryError("Choose the return to swap with.")
    first = returns.pop()
    return f"Swap with {other.name}", _each(
        lambda plan, section: swap_returns(plan, first, other.id, section), chosen.sections
    )


def _throw(what: str, chosen: Chosen) -> LabelledEdit:
    return thrown_at_phrases(chosen.opened, chosen.cells, what, chosen.said)


def _still(chosen: Chosen) -> LabelledEdit:
    return "Remove all automation", _each(remove_move, chosen.targets)


def _each(edit: Callable[[Plan, Any], Plan], items: Iterable[Any]) -> Edit:
    """Return the edit that does one for every item."""
    kept = list(items)
    return lambda plan: reduce(edit, kept, plan)


_CHANGES: Mapping[str, Callable[[Chosen], LabelledEdit]] = {
    "set": _set,
    "nudge": _nudge,
    "clear": _clear,
    "paste": _paste,
    "ramp": _ramp,
    "bend": _bend,
    "like": _like,
    "swap": _swap,
    "throw": partial(_throw, "throw"),
    "fill": partial(_throw, "fill"),
    "ring": partial(_throw, "ring"),
    "still": _still,
}
