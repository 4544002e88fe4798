"""A source whose depth jumps at a section's edge while it sounds.

Limit: 6 dB from one section to the next without a ramp. That is twice as far or half as far at once; the least that
is heard as another distance is 5 to 6 dB (Zahorik 2002), so that with less nobody sees the cut.
"""

from collections.abc import Iterator
from itertools import pairwise

from highhall.findings.finding import LOOK, Evidence, Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.plan import ReturnTarget, Section, SendTarget, Track
from highhall.plan.edits.moves import Cell, set_ramps
from highhall.timing import NoteValue
from highhall.wording import figure

LIMIT_DB = 6.0
_STEP_DB = 4.0
_EDGE_S = 0.4
_RAMP = NoteValue(1, 4)


def _look(heard: Heard) -> Iterator[Finding]:
    for before, after in pairwise(heard.sections):
        if before.end != after.start:
            continue
        edge_s = heard.seconds_at(after.start)
        for track in heard.plan.tracks:
            levels = [heard.wet_db(track.id, section.id) for section in (before, after)]
            if levels[0] is None or levels[1] is None or abs(levels[1] - levels[0]) < LIMIT_DB - 0.5 * _STEP_DB:
                continue
            over_edge = heard.sounds(track, edge_s - _EDGE_S, edge_s) and heard.sounds(track, edge_s, edge_s + _EDGE_S)
            if over_edge and _hard_cells(heard, track, after):
                yield _finding(heard, track, before, after, (levels[0], levels[1]))


def _finding(heard: Heard, track: Track, before: Section, after: Section, levels: tuple[float, float]) -> Finding:
    jump = abs(levels[1] - levels[0])
    edge_s = heard.seconds_at(after.start)
    metres = [figure(heard.plan.space.distance_m(level)) for level in levels]
    return Finding(
        kind=KIND.name,
        title=f"{track.name} jumps at {after.name}",
        sentence=(
            f"It sounds over the edge from {before.name} and goes from {metres[0]} to {metres[1]} m at once, {figure(jump)} dB. "
            f"From {figure(LIMIT_DB, 0)} dB on a cut is heard; a ramp hides it."
        ),
        figure=jump,
        unit="dB",
        limit=LIMIT_DB,
        excess=(jump - LIMIT_DB) / _STEP_DB,
        source=track.id,
        section=after.id,
        places=((edge_s - 1.0, edge_s + 1.0),),
        evidence=Evidence(
            shape="metres",
            figures={
                "here": heard.plan.space.distance_m(levels[1]),
                "median": heard.plan.space.distance_m(levels[0]),
                "limit": heard.plan.space.distance_m(levels[0] + (LIMIT_DB if levels[1] > levels[0] else -LIMIT_DB)),
            },
        ),
    )


def _hard_cells(heard: Heard, track: Track, section: Section) -> list[Cell]:
    """Return the values that hold from a section on without a ramp, of a track's sends and of the returns that it reaches."""
    reached = set(heard.model.readings[track.id, section.id].by_return)
    cells = []
    for move in heard.plan.moves:
        target = move.target
        is_its = (
            isinstance(target, SendTarget) and target.source in (track.id, track.group) and target.param == "level_db"
        ) or (isinstance(target, ReturnTarget) and target.target in reached and target.param == "level_db")
        if is_its and any(value.section == section.id and value.ramp is None for value in move.sections):
            cells.append((target, section.id))
    return cells


def _mend(heard: Heard, finding: Finding) -> Iterator[Mending]:
    section = heard.plan.song.section(finding.section or "")
    cells = _hard_cells(heard, heard.plan.track(finding.source), section)
    yield Mending(
        words=f"{_RAMP} ramps into {section.name}",
        keeps="the values themselves stay",
        plan=set_ramps(heard.plan, cells, _RAMP, "before"),
    )


KIND = Kind(
    name="sudden-depth",
    label="Sudden depth",
    looks_at="depth of every source over every edge of sections",
    look=_look,
    mend=_mend,
    most=LOOK,
)
