"""Sections from a table, from markers and from cue points."""

import csv
from collections.abc import Sequence
from fractions import Fraction
from itertools import islice, pairwise
from pathlib import Path

from highhall.errors import CoreError
from highhall.interchange.audio_files import written_whole
from highhall.interchange.cue_points import CuePoint, read_cue_points
from highhall.plan.edits import id_from_name
from highhall.plan.model import Section, Song
from highhall.timing import Position, SongTime

WAVE_SUFFIXES = frozenset({".wav", ".wave", ".rf64", ".bwf"})
COLUMNS = ("name", "start", "end")


MOST_ROWS = 1000


class SectionTableError(CoreError):
    """A table of sections cannot be read; the text names the line."""


def read_sections(path: Path, song: Song) -> tuple[Section, ...]:
    """Read sections from a table or, if the name ends in .wav, from a file's cue points.

    Raises
    ------
    CoreError
        If the file holds no sections that can be read.
    """
    if path.suffix.lower() not in WAVE_SUFFIXES:
        return read_sections_csv(path, song.end)
    return sections_from_markers(markers_of_cue_points(read_cue_points(path), song.time), song.end)


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
            rows = list(islice(csv.DictReader(file), MOST_ROWS + 1))
    except (UnicodeDecodeError, csv.Error):
        raise SectionTableError(f'"{path.name}" cannot be read as a table in UTF-8') from None
    if len(rows) > MOST_ROWS:
        raise SectionTableError(f'"{path.name}" has more than {MOST_ROWS} rows; a song has so many sections at most')
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


def markers_of_cue_points(
    points: Sequence[CuePoint], time: SongTime, start_s: float = 0.0
) -> list[tuple[Position, str]]:
    """Return cue points of a file that starts at `start_s` as markers, each on the nearest beat of the meter."""
    markers = []
    for point in points:
        sample = round((start_s + point.seconds) * time.sample_rate)
        before = time.position_at_sample(sample)
        beat = Position(before.bar, Fraction(int(before.beat)))
        following = time.meters.position_at(time.meters.whole_notes_at(beat) + Fraction(1, time.meter_at(beat).unit))
        nearest = min(beat, following, key=lambda position: abs(time.sample_at(position) - sample))
        markers.append((nearest, point.label))
    return markers


def write_sections_csv(path: Path, song: Song) -> None:
    """Write a song's sections as a table that `read_sections_csv` reads."""
    with written_whole(path) as temporary, temporary.open("w", newline="", encoding="utf-8") as file:
        table = csv.writer(file)
        table.writerow(COLUMNS)
        table.writerows((section.name, section.start, section.end) for section in song.sections)


def _named(names: Sequence[str], starts: Sequence[Position], ends: Sequence[Position]) -> tuple[Section, ...]:
    taken: set[str] = set()
    sections = []
    for name, start, end in zip(names, starts, ends, strict=True):
        section_id = id_from_name(name, taken)
        taken.add(section_id)
        sections.append(Section(id=section_id, name=name.strip()[:120], start=start, end=end))
    return tuple(sections)
