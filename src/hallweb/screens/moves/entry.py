"""What forms of the Moves screen say, as targets, cells and values of the core."""

from typing import Any

from django.http import Http404

from hallweb.screens.moves.targets import target_of
from highhall.plan import Plan, Target
from highhall.plan.edits.moves import Cell
from highhall.plan.model import MoveValue
from highhall.plan.references import movable_parameter
from highhall.wording import in_beats

THROW_DB, THROW_LENGTH, THROW_IN, THROW_OUT = "-6", "1/4", "20 ms", "1/8"
"""What a new throw is, as it stands in its fields."""


def posted_targets(plan: Plan, keys: list[str]) -> list[Target]:
    """Return the targets that words name, or answer 404."""
    found = [target_of(plan, key) for key in keys]
    if not all(found):
        raise Http404
    return [target for target in found if target]


def posted_cells(plan: Plan, texts: list[str]) -> list[Cell]:
    """Return the cells that TARGET|SECTION name, or answer 404."""
    sections = {section.id for section in plan.song.sections}
    pairs = [text.rpartition("|") for text in texts]
    if any(section not in sections for *_, section in pairs):
        raise Http404
    return list(zip(posted_targets(plan, [key for key, *_ in pairs]), (section for *_, section in pairs), strict=True))


def parse_value(plan: Plan, target: Target, text: str) -> MoveValue:
    """Read a typed value of a target; EntryError if it cannot be."""
    value: Any = movable_parameter(plan, target).read(in_beats(text, plan.song.tempos[0].beat))
    moved: MoveValue = float(value) if isinstance(value, int) and not isinstance(value, bool) else value
    return moved
