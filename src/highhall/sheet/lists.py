"""Moves, throws, places and findings on a sheet, each as many rows a leaf as fit."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from highhall.depth import DepthModel
from highhall.exports.tables import clock_words
from highhall.plan import Move, Plan
from highhall.plan.move_table import ramp_in_words, target_place
from highhall.plan.references import movable_parameter
from highhall.sheet.matrix import Matrix, blocks
from highhall.sheet.room import LEAF_MM, packed, part_words, row_mm
from highhall.timing import NoteValue
from highhall.wording import figure, time_in_words

_COLUMNS = 2
_MOST_MM = 40.0
_HEAD_MM = 6.0


@dataclass(frozen=True, slots=True)
class MoveBlock:
    """One move: what it moves, and rows of where, value, and how it is reached."""

    what: str
    rows: Sequence[tuple[str, str, str]]

    @property
    def height(self) -> float:
        """How high it is in a column, in mm."""
        return row_mm((self.what, 46)) + 1 + sum(map(_row_mm, self.rows))


def _row_mm(row: tuple[str, str, str]) -> float:
    where, value, how = row
    return row_mm((where, 17), (value, 14), (how, 17))


@dataclass(frozen=True, slots=True)
class ListLeaf:
    """Rows under headings."""

    columns: Sequence[str]
    rows: Sequence[Sequence[str]] = field(default_factory=list)


def move_parts(plan: Plan) -> Iterator[tuple[str, str, Sequence[Sequence[MoveBlock]]]]:
    """Yield title, subtitle and columns of moves, by the return that they belong to; a move longer than a leaf goes on on the next."""
    order = {return_.id: number for number, return_ in enumerate(plan.returns)}
    moves = sorted(plan.moves, key=lambda move: order.get(move.target.target, 0))
    found = [part for move in moves if (block := _move(plan, move)).rows for part in _pieces(block)]
    columns = packed(found, lambda block: block.height)
    leaves = [columns[first : first + _COLUMNS] for first in range(0, len(columns), _COLUMNS)]
    for number, leaf in enumerate(leaves, 1):
        yield "Moves", part_words(number, leaves), leaf


def _pieces(block: MoveBlock) -> Iterator[MoveBlock]:
    """Yield a move in pieces that are short against a column."""
    for number, rows in enumerate(packed(block.rows, _row_mm, _MOST_MM)):
        yield MoveBlock(f"{block.what}, continued" if number else block.what, rows)


def _move(plan: Plan, move: Move) -> MoveBlock:
    parameter = movable_parameter(plan, move.target)
    rows = [
        (plan.song.section(each.section).name, parameter.words(each.value), ramp_in_words(each) or "jump")
        for each in move.sections
    ]
    rows += [(str(point.at), parameter.words(point.value), point.shape) for point in move.points]
    return MoveBlock(f"{target_place(plan, move.target)}: {parameter.label.lower()}", rows)


def throw_parts(plan: Plan) -> Iterator[tuple[str, str, ListLeaf]]:
    """Yield title, subtitle and throws, in the order of the song."""
    time = plan.song.time
    rows: list[tuple[float, list[str]]] = []
    for move in plan.moves:
        parameter, what = movable_parameter(plan, move.target), target_place(plan, move.target)
        for throw in move.throws:
            seconds = time.seconds_at(throw.at)
            length = time_in_words(throw.length)
            if isinstance(throw.length, NoteValue):
                length += f", {figure(1000 * time.seconds_of(throw.length, throw.at), 0)} ms"
            ramps = ", ".join(
                f"{word} {time_in_words(each)}"
                for word, each in (("in", throw.ramp_in), ("out", throw.ramp_out))
                if each
            )
            rows.append(
                (seconds, [str(throw.at), clock_words(seconds), what, parameter.words(throw.value), length, ramps])
            )
    rows.sort(key=lambda row: row[0])
    columns = ("Bar, beat", "Time", "What", "Value", "Length", "Ramps")
    yield from _paged("Throws", columns, [row for _, row in rows])


def place_parts(plan: Plan, depth: DepthModel) -> Iterator[tuple[str, str, Matrix]]:
    """Yield title, subtitle and distances of all tracks by section, in metres, with targets in brackets."""
    sections = sorted(plan.song.sections, key=lambda section: section.start)
    targets = {(target.source, target.section): target.distance_m for target in plan.targets}

    def cell(track_id: str, section: str | None) -> str:
        metres = depth.distance_m(track_id, section)
        wanted = targets.get((track_id, section))
        here = (
            "dry"
            if metres is None and depth.readings[track_id, section].dry_power
            else figure(metres)
            if metres
            else "–"
        )
        return f"{here} [{figure(wanted)}]" if wanted else here

    places: list[str | None] = [None, *(section.id for section in sections)]
    rows = [(track.name, [cell(track.id, place) for place in places]) for track in plan.tracks]
    notes = "metres, as predicted from stems and sends; [ ] wanted; – silent"
    for words, matrix in blocks(["Whole song", *(section.name for section in sections)], rows, notes):
        yield "Depth", words, matrix


def aside_parts(aside: Sequence[tuple[str, str]]) -> Iterator[tuple[str, str, ListLeaf]]:
    """Yield title, subtitle and findings that were set aside, with reasons."""
    yield from _paged("Set aside", ("Finding", "Because"), [list(row) for row in aside])


def _paged(title: str, columns: Sequence[str], rows: Sequence[Sequence[str]]) -> Iterator[tuple[str, str, ListLeaf]]:
    letters = 100 // len(columns)
    leaves = packed(rows, lambda row: row_mm(*((cell, letters) for cell in row)), LEAF_MM - _HEAD_MM)
    for number, leaf in enumerate(leaves, 1):
        yield title, part_words(number, leaves), ListLeaf(columns, leaf)
