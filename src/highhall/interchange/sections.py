"""Sections from a table and from markers."""

import csv
from collections.abc import Sequence
from itertools import pairwise
from pathlib import Path

from highhall.errors import CoreError
from highhall.plan.edits import id_from_name
from highhall.plan.model import Section
from highhall.timing import Position

COLUMNS = ("name", "start", "end")


class SectionTableError(CoreError):
    """A table of sections cannot be read; the text names the line."""


def read_sections_csv(path: Path, song_end: Position) -> tuple[Section, ...]:
    """Read sections from a CSV file with the columns name, start and, if it is not up to the next, end.

    Positions are written as in a plan, `5|1`. Without an end a section lasts to the next one's start, the last
    to the song's end.

    Raises
    ------
    SectionTableError
        If columns are missing, a position cannot be read, or sections do not ascend.
    """
    try:
        with path.open(newline="", encoding="utf-8-sig") as file:
            rows = list(csv.DictReader(file))
    except (UnicodeDecodeError, csv.Error):
        raise SectionTableError(f'"{path.name}" cannot be read as a table in UTF-8') from None
    if not rows or not {"name", "start"} <= set(rows[0]):
        raise SectionTableError(f'"{path.name}" needs a first line with the columns {", ".join(COLUMNS)}')
    starts = [_position(path, line, row["start"]) for line, row in enumerate(rows, 2)]
    if starts != sorted(set(starts)):
        raise SectionTableError(f'"{path.name}": sections must stand in order, each at a place of its own')
    ends = [
        _position(path, line, row["end"]) if row.get("end") else following
        for (line, row), following in zip(enumerate(rows, 2), [*starts[1:], song_end], strict=True)
    ]
    return _named([row["name"] or "Section" for row in rows], starts, ends)


def _position(path: Path, line: int, text: str | None) -> Position:
    try:
        return Position.parse((text or "").strip())
    except CoreError as error:
        raise SectionTableError(f'"{path.name}", line {line}: {error}') from None


def sections_from_markers(markers: Sequence[tuple[Position, str]], song_end: Position) -> tuple[Section, ...]:
    """Return a section from every marker to the next, the last one to the song's end."""
    inside = [(at, text) for at, text in markers if at < song_end]
    kept = [pair for pair, following in pairwise([*inside, (song_end, "")]) if pair[0] < following[0]]
    starts = [at for at, _ in kept]
    return _named([text for _, text in kept], starts, [*starts[1:], song_end][: len(starts)])


def _named(names: Sequence[str], starts: Sequence[Position], ends: Sequence[Position]) -> tuple[Section, ...]:
    taken: set[str] = set()
    sections = []
    for name, start, end in zip(names, starts, ends, strict=True):
        section_id = id_from_name(name, taken)
        taken.add(section_id)
        sections.append(Section(id=section_id, name=name.strip()[:120], start=start, end=end))
    return tuple(sections)
