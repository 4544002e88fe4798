"""The moves of a plan as a table that people read: what moves, where, to which value."""

from collections.abc import Iterator
from dataclasses import dataclass

from highhall.plan.model import EffectTarget, Move, Plan, SectionValue, SendTarget, Target
from highhall.plan.references import movable_parameter
from highhall.timing import TimeValue


@dataclass(frozen=True, slots=True)
class MoveRow:
    """One value of a move."""

    what: str
    where: str
    value: str


def target_place(plan: Plan, target: Target) -> str:
    """Return in the plan's names where a target is: a send, a return, or an effect of one."""
    names = plan.names
    match target:
        case SendTarget():
            return f"{names[target.source]} to {names[target.target]}"
        case EffectTarget():
            return f"{names[target.target]}, {plan.return_(target.target).effect(target.effect).table.label.lower()}"
    return names[target.target]


def move_rows(plan: Plan) -> list[MoveRow]:
    """Return every section value, point and throw of every move, in the plan's order."""
    return [row for move in plan.moves for row in _rows(plan, move)]


def _rows(plan: Plan, move: Move) -> Iterator[MoveRow]:
    parameter = movable_parameter(plan, move.target)
    what = f"{move.target.param} of {target_place(plan, move.target)}"
    for value in move.sections:
        ramp = f", {words}" if (words := ramp_in_words(value)) else ""
        yield MoveRow(what, plan.song.section(value.section).name, f"{parameter.words(value.value)}{ramp}")
    for point in move.points:
        shape = "" if point.shape == "linear" else f", {point.shape}"
        yield MoveRow(what, str(point.at), f"{parameter.words(point.value)}{shape}")
    for throw in move.throws:
        ramps = "".join(_ramp(word, length) for word, length in (("in", throw.ramp_in), ("out", throw.ramp_out)))
        yield MoveRow(what, f"{throw.at} for {throw.length}", f"{parameter.words(throw.value)}{ramps}")


def ramp_in_words(value: SectionValue) -> str:
    """Return how a value in a section is reached, such as "1/8 before, bent by +40 %"; nothing for a jump."""
    bend = f", bent by {100 * value.ramp_bend:+.0f} %" if value.ramp_bend else ""
    return f"{value.ramp} {value.ramp_side}{bend}" if value.ramp else ""


def _ramp(word: str, length: TimeValue | None) -> str:
    return f", {word} by {length}" if length else ""
