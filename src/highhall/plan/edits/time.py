"""Edits of a song's title, tempo, meters and length. Positions stay on their bars; seconds follow."""

from dataclasses import replace

from highhall.errors import CoreError
from highhall.plan.edits.basics import checked, without_lost_targets
from highhall.plan.model import Plan, Section, Song, Tempo
from highhall.timing import Meter, Position


def _with_song(plan: Plan, song: Song) -> Plan:
    return checked(replace(plan, song=song))


def rename_song(plan: Plan, title: str) -> Plan:
    """Give the song another title."""
    return _with_song(plan, replace(plan.song, title=title))


def put_tempo(plan: Plan, tempo: Tempo, *, instead_of: Position | None = None) -> Plan:
    """Add a tempo, or put it in the place of another; one at the same position gives way."""
    others = [t for t in plan.song.tempos if t.at not in (tempo.at, instead_of)]
    return _with_song(plan, replace(plan.song, tempos=tuple(sorted([*others, tempo], key=lambda t: t.at))))


def remove_tempo(plan: Plan, at: Position) -> Plan:
    """Remove the tempo at a position; the first one stays, since it holds from 1|1."""
    if at == Position(1):
        raise CoreError("the first tempo holds from 1|1 and stays; change it instead")
    return _with_song(plan, replace(plan.song, tempos=tuple(t for t in plan.song.tempos if t.at != at)))


def put_meter(plan: Plan, meter: Meter, *, instead_of: int | None = None) -> Plan:
    """Add a meter, or put it in the place of the one from bar `instead_of`; one at the same bar gives way."""
    others = [m for m in plan.song.meters if m.bar not in (meter.bar, instead_of)]
    return _with_song(plan, replace(plan.song, meters=tuple(sorted([*others, meter], key=lambda m: m.bar))))


def remove_meter(plan: Plan, bar: int) -> Plan:
    """Remove the meter that starts at a bar; the first one stays."""
    if bar == 1:
        raise CoreError("the first meter holds from bar 1 and stays; change it instead")
    return _with_song(plan, replace(plan.song, meters=tuple(m for m in plan.song.meters if m.bar != bar)))


def take_map(plan: Plan, song: Song) -> Plan:
    """Take over another song's meters, tempos, end and, if it has any, sections."""
    sections = song.sections or plan.song.sections
    taken = replace(plan.song, meters=song.meters, tempos=song.tempos, end=max(plan.song.end, song.end))
    return set_sections(replace(plan, song=taken), sections)


def end_at(plan: Plan, position: Position) -> Plan:
    """Let the song end at a position; the section it falls into ends there too."""
    sections = tuple(
        replace(section, end=position) if section.start < position < section.end else section
        for section in plan.song.sections
    )
    return _with_song(plan, replace(plan.song, end=position, sections=sections))


def lengthen(plan: Plan, seconds: float) -> Plan:
    """Move the song's end to the first bar line after `seconds`, if it lies before that."""
    end = max(plan.song.end, plan.song.time.bar_line_after(seconds))
    return _with_song(plan, replace(plan.song, end=end))


def set_sections(plan: Plan, sections: tuple[Section, ...]) -> Plan:
    """Replace all sections; what moves said about one that is no longer there goes with it."""
    kept = {section.id for section in sections}
    moves = (replace(m, sections=tuple(v for v in m.sections if v.section in kept)) for m in plan.moves)
    remaining = tuple(m for m in moves if m.sections or m.points or m.throws)
    changed = replace(plan, song=replace(plan.song, sections=sections), moves=remaining)
    return checked(without_lost_targets(changed))
