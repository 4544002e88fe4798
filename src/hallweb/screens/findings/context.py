"""What the Findings screen shows: findings as numbered rows, where they are in the song, and one of them open."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from hallweb.audition.findings import Looked
from hallweb.inputs import Inputs
from hallweb.screens.findings.drawing import LARGE, SMALL, Drawing
from hallweb.screens.findings.pictures import drawn
from hallweb.songs.actions import SongState
from hallweb.songs.models import SetAside, Song
from highhall.findings import KINDS, LOOK, SEVERITIES, STRICTNESS, Finding
from highhall.plan import Plan
from highhall.timing import Position
from highhall.wording import seconds_in_words

ORDERS = ("severity", "section", "kind")
REASONS = ("it is meant so", "on purpose in this section", "another program does this", "not now")
HERE = REASONS[1]
STRIP = 168.0
KEY_PLAN = 1120.0
_MARK_PX = 30.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    """A finding as a row: its number on the drawing, its evidence, and the stretches of the song that it is about."""

    number: int
    finding: Finding
    word: str
    label: str
    drawing: Drawing
    where: str
    stretches: Sequence[tuple[float, float]]
    is_open: bool
    token: str


@dataclass(frozen=True, slots=True)
class FindingsState:
    """What of the screen is chosen: an order, a section, a kind, the finding that is open, and which of its places."""

    order: str
    section: str
    kind: str
    opened: str
    place: int

    @classmethod
    def of(cls, said: Inputs, plan: Plan) -> "FindingsState":
        """Read what a request says."""
        section = said.item_or_none("section", plan.song.sections)
        order = said.text("by") if said.text("by") in ORDERS else ORDERS[0]
        kind = said.text("kind") if said.text("kind") in KINDS else ""
        return cls(order, section.id if section else "", kind, said.text("open"), max(said.whole("place", 0), 0))


def told(song: Song, looked: Looked) -> tuple[list[Finding], list[tuple[SetAside, Finding | None]]]:
    """Return the findings that are told, and what is set aside with its finding, if that is still there.

    A finding that was set aside is told again when its figure has become worse.
    """
    found = {finding.id: finding for finding in looked.findings if finding.excess >= STRICTNESS[song.strictness]}
    aside = list(song.set_aside.all())
    quiet: dict[str, SetAside] = {}
    for row in aside:
        for finding in found.values():
            is_it = finding.id == row.finding
            is_alike = bool(row.section) and (finding.kind, finding.section) == (row.kind, row.section)
            if (is_it or is_alike) and not (is_it and finding.is_worse_than(row.figure)):
                quiet[finding.id] = row
    rest = [finding for finding in found.values() if finding.id not in quiet]
    return rest, [(row, found.get(row.finding)) for row in aside if found.get(row.finding) not in rest]


def counted(findings: Iterable[Finding]) -> int:
    """Return how many of some findings are more than notes."""
    return sum(finding.severity >= LOOK for finding in findings)


def kinds_context() -> dict[str, Any]:
    """Return what is looked for."""
    return {"kind_count": len(KINDS), "looks_at": [kind.looks_at for kind in KINDS.values()]}


def findings_context(opened: SongState, looked: Looked, state: FindingsState, *, is_newest: bool) -> dict[str, Any]:
    """Return what the page shows."""
    findings, aside = told(opened.song, looked)
    numbers = {finding.id: number for number, finding in enumerate(findings, 1)}
    shown = [f for f in findings if _is_in(opened.plan, f, state.section) and state.kind in ("", f.kind)]
    shown.sort(key=lambda finding: _rank(finding, state.order, numbers))
    entries = [_entry(opened.plan, f, numbers[f.id], looked, is_open=f.id == state.opened) for f in shown]
    current = next((entry for entry in entries if entry.is_open), None)
    severities = [finding.severity for finding in findings]
    parts = [
        f"{n} {_words(word, n)}"
        for value, word in sorted(SEVERITIES.items(), reverse=True)
        if (n := severities.count(value))
    ]
    return {
        "state": state,
        "entries": entries,
        "current": _open(opened, current, state) if current else None,
        "summary": f"{len(findings)} open: {', '.join(parts)}" if findings else "",
        "sections": sorted(opened.plan.song.sections, key=lambda section: section.start),
        "kinds": sorted({(f.kind, KINDS[f.kind].label) for f in findings}, key=lambda pair: pair[1]),
        "orders": ORDERS,
        "marks": _marks(opened.plan, findings, numbers),
        "rooms": _rooms(opened.plan),
        "aside": aside,
        "looked": looked,
        "is_newest": is_newest,
        "strictness": opened.song.strictness,
        "strictnesses": [*STRICTNESS],
    }


def marks_of(findings: Sequence[Finding]) -> list[dict[str, Any]]:
    """Return what is marked on other screens: number and title of each finding, and what it belongs to."""
    return [
        {
            "id": f.id,
            "number": number,
            "source": f.source,
            "return": f.return_id,
            "title": f.title,
            "word": SEVERITIES[f.severity],
        }
        for number, f in enumerate(findings, 1)
    ]


def _words(word: str, count: int) -> str:
    return {"look": "to look at"}.get(word, word if count == 1 else f"{word}s")


def _is_in(plan: Plan, finding: Finding, section: str) -> bool:
    if not section or finding.section == section:
        return True
    if finding.section:
        return False
    start, end = _span(plan, section)
    return any(first < end and last > start for first, last in finding.places)


def _rank(finding: Finding, order: str, numbers: dict[str, int]) -> tuple[float, str, int]:
    first = min((start for start, _ in finding.places), default=-1.0) if order == "section" else 0.0
    return first, KINDS[finding.kind].label if order == "kind" else "", numbers[finding.id]


def _entry(plan: Plan, finding: Finding, number: int, looked: Looked, *, is_open: bool) -> Entry:
    return Entry(
        number=number,
        finding=finding,
        word=SEVERITIES[finding.severity],
        label=KINDS[finding.kind].label,
        drawing=drawn(finding.evidence, SMALL),
        where=_where(plan, finding),
        stretches=_stretches(plan, finding, STRIP),
        is_open=is_open,
        token=looked.proposals.get(finding.id, ""),
    )


def _open(opened: SongState, entry: Entry, state: FindingsState) -> dict[str, Any]:
    finding, song = entry.finding, opened.plan.song
    places = finding.places or ((0.0, song.end_sample / song.sample_rate),)
    place = min(state.place, len(places) - 1)
    start, end = places[place]
    around = _bars_around(opened.plan, start, end)
    return {
        "entry": entry,
        "drawing": drawn(finding.evidence, LARGE, finding.proposed),
        "place": place,
        "count": len(places),
        "loop": around,
        "alone": _alone(opened.plan, finding),
        "at": str(song.time.position_at_sample(round(max(start, 0.0) * song.sample_rate)).bar),
        "reasons": [reason for reason in REASONS if reason != HERE or finding.section],
        "is_rendered": KINDS[finding.kind].is_rendered,
        "has_places": bool(finding.places),
    }


def _alone(plan: Plan, finding: Finding) -> dict[str, str] | None:
    """Return what is best heard alone: the track with what it feeds, else the return; None where neither is at fault."""
    names = plan.names
    if any(track.id == finding.source for track in plan.tracks):
        return {
            "attribute": "data-solo-track", "id": finding.source, "name": names[finding.source],
            "title": "Hear it alone, with what it feeds",
        }  # fmt: skip
    if finding.return_id:
        return {
            "attribute": "data-solo", "id": finding.return_id, "name": names[finding.return_id], "title": "Hear it alone",
        }  # fmt: skip
    return None


def _bars_around(plan: Plan, start: float, end: float) -> dict[str, Any]:
    """Return the whole bars from a bar before a stretch to a bar after it, eight at most, in samples."""
    time, rate = plan.song.time, plan.song.sample_rate
    first = max(time.position_at_sample(round(max(start, 0.0) * rate)).bar - 1, 1)
    last_bar = time.position_at_sample(plan.song.end_sample).bar
    last = min(time.position_at_sample(round(max(end, 0.0) * rate)).bar + 2, first + 8, last_bar)
    return {
        "start": time.sample_at(Position(first)),
        "end": min(time.sample_at(Position(max(last, first + 1))), plan.song.end_sample),
        "name": f"{first} to {max(last - 1, first)}",
    }


def _span(plan: Plan, section: str) -> tuple[float, float]:
    found, time = plan.song.section(section), plan.song.time
    return time.seconds_at(found.start), time.seconds_at(found.end)


def _where(plan: Plan, finding: Finding) -> str:
    if finding.section:
        return plan.song.section(finding.section).name
    if not finding.places:
        return "Whole song"
    names = [s.name for s in plan.song.sections if _is_in(plan, finding, s.id)]
    return names[0] if len(names) == 1 else f"{len(finding.places)} place{'s' if len(finding.places) != 1 else ''}"


def _stretches(plan: Plan, finding: Finding, width: float) -> list[tuple[float, float]]:
    """Return where a finding's places lie on a strip of the song: left and width, at least two pixels."""
    whole = plan.song.end_sample / plan.song.sample_rate
    places = finding.places or ((0.0, whole),)
    return [(width * max(a, 0) / whole, max(width * (min(b, whole) - max(a, 0)) / whole, 2.0)) for a, b in places]


def _rooms(plan: Plan) -> list[dict[str, Any]]:
    whole = plan.song.end_sample / plan.song.sample_rate
    found = []
    for section in sorted(plan.song.sections, key=lambda section: section.start):
        start, end = _span(plan, section.id)
        found.append({
            "id": section.id, "name": section.name, "x": KEY_PLAN * start / whole, "width": KEY_PLAN * (end - start) / whole,
            "strip_x": STRIP * start / whole,
        })  # fmt: skip
    return found


def _marks(plan: Plan, findings: Sequence[Finding], numbers: dict[str, int]) -> list[dict[str, Any]]:
    """Return the triangles on the key plan, apart from each other."""
    whole = plan.song.end_sample / plan.song.sample_rate
    placed = sorted(
        ((f.places[0][0] if f.places else 0.0, f) for f in findings), key=lambda pair: (pair[0], numbers[pair[1].id])
    )
    marks, last = [], -_MARK_PX
    for at, finding in placed:
        last = max(KEY_PLAN * max(at, 0.0) / whole + 14, last + _MARK_PX)
        marks.append(
            {
                "x": min(last, KEY_PLAN - 16),
                "number": numbers[finding.id],
                "word": SEVERITIES[finding.severity],
                "id": finding.id,
                "title": finding.title,
            }
        )
    return marks


def looked_words(looked: Looked) -> str:
    """Return after which edit was looked, and how long it took."""
    return f"Looked at after {looked.label}, revision {looked.revision}, in {seconds_in_words(looked.seconds)}"
