"""The sends of a plan as a matrix, sources down and returns across, split over as many leaves as it takes."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from highhall.plan import Plan, Send, SendTarget
from highhall.sheet.room import LEAF_MM, packed, part_words, row_mm
from highhall.wording import figure

_COLUMNS = 9
_NAME_LETTERS, _COLUMN_LETTERS = 30, 7
_NOTES_MM = 10.0


@dataclass(frozen=True, slots=True)
class Matrix:
    """Names of columns; rows of a name and its cells. notes: what the signs in cells mean."""

    columns: Sequence[str]
    rows: Sequence[tuple[str, Sequence[str]]]
    notes: str = ""


def blocks(
    columns: Sequence[str], rows: Sequence[tuple[str, Sequence[str]]], notes: str = ""
) -> Iterator[tuple[str, Matrix]]:
    """Yield parts of a matrix that fit on a leaf, each with which part it is, in words."""
    parts = []
    head_mm = max((row_mm((name, _COLUMN_LETTERS)) for name in columns), default=0.0)
    leaves = packed(rows, lambda row: row_mm((row[0], _NAME_LETTERS)), LEAF_MM - head_mm - _NOTES_MM)
    for leaf in leaves:
        for left in range(0, max(len(columns), 1), _COLUMNS):
            cells = [(name, cells[left : left + _COLUMNS]) for name, cells in leaf]
            parts.append(Matrix(columns[left : left + _COLUMNS], cells, notes))
    for number, part in enumerate(parts, 1):
        yield part_words(number, parts), part


def sends_parts(plan: Plan) -> Iterator[tuple[str, str, Matrix]]:
    """Yield title, subtitle and part of the matrix of sends; sources that feed nothing are left out."""
    if not plan.sends:
        return
    names = plan.names
    feeding = {send.source for send in plan.sends}
    sources = [source for source in names if source in feeding]
    moved = {(m.target.source, m.target.target) for m in plan.moves if isinstance(m.target, SendTarget)}
    sends = {(send.source, send.target): send for send in plan.sends}
    rows = [
        (names[source], [_cell(sends.get((source, r.id)), is_moved=(source, r.id) in moved) for r in plan.returns])
        for source in sources
    ]
    notes = "dB behind the fader; p before it; L R panned; ( ) switched off; ~ moves, see moves"
    for words, matrix in blocks([return_.name for return_ in plan.returns], rows, notes):
        yield "Sends", words, matrix


def _cell(send: Send | None, *, is_moved: bool) -> str:
    if send is None:
        return ""
    level = "−∞" if send.level_db is None else figure(send.level_db)
    signs = [level, "p" if send.send_point == "pre" else "", _pan(send.pan), "~" if is_moved else ""]
    words = " ".join(filter(None, signs))
    return words if send.on else f"({words})"


def _pan(pan: float) -> str:
    return f"{'L' if pan < 0 else 'R'}{abs(100 * pan):.0f}" if round(100 * pan) else ""
