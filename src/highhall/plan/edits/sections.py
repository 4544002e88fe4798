"""Edits of a song's sections."""

from dataclasses import replace

from highhall.errors import CoreError
from highhall.plan.edits.basics import checked, id_from_name, replaced
from highhall.plan.edits.time import set_sections
from highhall.plan.edits.wishes import with_targets
from highhall.plan.model import Plan, Section
from highhall.timing import Position


def _sorted(sections: list[Section]) -> tuple[Section, ...]:
    return tuple(sorted(sections, key=lambda section: section.start))


def _new_id(plan: Plan, name: str) -> str:
    return id_from_name(name, {section.id for section in plan.song.sections})


def open_stretch(plan: Plan, around: Position) -> tuple[Position, Position] | None:
    """Return from where to where no section has a position; None if one has it."""
    sections = plan.song.sections
    if around >= plan.song.end or any(s.start <= around < s.end for s in sections):
        return None
    start = max((s.end for s in sections if s.end <= around), default=Position(1))
    end = min((s.start for s in sections if s.start > around), default=plan.song.end)
    return start, end


def add_section(plan: Plan, name: str, start: Position, end: Position) -> Plan:
    """Add a section."""
    section = Section(id=_new_id(plan, name), name=name, start=start, end=end)
    return set_sections(plan, _sorted([*plan.song.sections, section]))


def rename_section(plan: Plan, section_id: str, name: str) -> Plan:
    """Give a section another name; what moves say about it stays."""
    sections = replaced(plan.song.sections, section_id, lambda section: replace(section, name=name))
    return checked(replace(plan, song=replace(plan.song, sections=sections)))


def move_section(plan: Plan, section_id: str, start: Position, end: Position) -> Plan:
    """Let a section start and end elsewhere; a neighbour that touched it there moves its own edge along.

    Raises
    ------
    CoreError
        If it would be empty, reach past a neighbour's far edge, or leave the song.
    """
    moved = plan.song.section(section_id)
    if not start < end <= plan.song.end:
        raise CoreError(
            f"{moved.name} must end after it starts and by the song's end {plan.song.end}, got {start} to {end}"
        )
    sections = []
    for section in plan.song.sections:
        if section.id == section_id:
            sections.append(replace(section, start=start, end=end))
            continue
        before, after = section.end == moved.start, section.start == moved.end
        changed = replace(
            section, start=end if after else section.start, end=start if before else section.end
        )  # fmt: skip
        if changed.start >= changed.end or (changed.start < end and start < changed.end):
            raise CoreError(f"{moved.name} from {start} to {end} would leave no room for {section.name}")
        sections.append(changed)
    return set_sections(plan, _sorted(sections))


def split_section(plan: Plan, section_id: str, at: Position, name: str) -> Plan:
    """Part a section in two; the second part, `name`, keeps all that moves say about the whole."""
    whole = plan.song.section(section_id)
    if not whole.start < at < whole.end:
        raise CoreError(f"{whole.name} lasts from {whole.start} to {whole.end}; it cannot be split at {at}")
    second = Section(id=_new_id(plan, name), name=name, start=at, end=whole.end)
    sections = [replace(s, end=at) if s.id == section_id else s for s in plan.song.sections]
    moves = []
    for move in plan.moves:
        values = [
            part
            for value in move.sections
            for part in (
                (value, replace(value, section=second.id, ramp=None)) if value.section == section_id else (value,)
            )
        ]
        moves.append(replace(move, sections=tuple(values)))
    plan = with_targets(plan, {(t.source, second.id): t.distance_m for t in plan.targets if t.section == section_id})
    return checked(replace(plan, song=replace(plan.song, sections=_sorted([*sections, second])), moves=tuple(moves)))


def remove_section(plan: Plan, section_id: str) -> Plan:
    """Remove a section; its stretch has no name then, and what moves say about it goes too."""
    plan.song.section(section_id)
    return set_sections(plan, tuple(s for s in plan.song.sections if s.id != section_id))
