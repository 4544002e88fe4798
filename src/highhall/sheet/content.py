"""What stands on a sheet: leaves of half a page, each as full as it may be, so that nothing is cut and no row is left alone."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from highhall.depth import DepthModel
from highhall.effects import NO_RESPONSES, Response
from highhall.exports.tables import clock_words
from highhall.plan import Plan
from highhall.sheet.drawings import Picture2d, flow_drawing
from highhall.sheet.lists import aside_parts, move_parts, place_parts, throw_parts
from highhall.sheet.matrix import sends_parts
from highhall.sheet.returns import return_parts
from highhall.sheet.room import LEAF_MM, packed, row_mm
from highhall.timing import Position
from highhall.wording import figure, seconds_in_words

_TEMPOS, _MORE_TEMPOS = 6, 18
_HEAD_MM = 6.0
_FLOW_WIDE_MM, _FLOW_MM = 176.0, 52.0


@dataclass(frozen=True, slots=True)
class Leaf:
    """Half a page. kind: what it shows, and by which macro of the template; content: what that needs."""

    kind: str
    title: str
    sub: str
    content: object


@dataclass(frozen=True, slots=True)
class Sheet:
    """A whole sheet. version: what the design is called; date: as it is printed."""

    title: str
    version: str
    date: str
    leaves: Sequence[Leaf]


@dataclass(frozen=True, slots=True)
class SectionRow:
    """A section: bars from and to, when it begins by the clock, and how long it is."""

    name: str
    bars: str
    clock: str
    length: str


@dataclass(frozen=True, slots=True)
class Cover:
    """The song: facts by name, its tempos and meters, its sections, and how its returns feed each other."""

    facts: Sequence[tuple[str, str]]
    tempos: Sequence[tuple[str, str]]
    sections: Sequence[SectionRow]
    flow: Picture2d | None


def sheet_of(
    plan: Plan,
    responses: Mapping[str, Response] = NO_RESPONSES,
    *,
    version: str = "",
    date: str = "",
    depth: DepthModel | None = None,
    aside: Sequence[tuple[str, str]] = (),
) -> Sheet:
    """Return the sheet of a plan.

    Parameters
    ----------
    version, date: as they are printed. depth: where sources stand; without it the sheet says nothing of that. aside: findings that were set
    aside, each with the reason.
    """
    leaves = [
        *_cover(plan),
        *_each("return", return_parts(plan, responses)),
        *_each("sends", sends_parts(plan)),
        *_each("moves", move_parts(plan)),
        *_each("throws", throw_parts(plan)),
        *_each("places", place_parts(plan, depth) if depth else iter(())),
        *_each("aside", aside_parts(aside)),
    ]
    return Sheet(plan.song.title, version, date, leaves)


def _each(kind: str, parts: Iterator[tuple[str, str, object]]) -> Iterator[Leaf]:
    for title, sub, content in parts:
        yield Leaf(kind, title, sub, content)


def _cover(plan: Plan) -> Iterator[Leaf]:
    song = plan.song
    facts = [
        ("Length", f"{clock_words(song.time.seconds_at(song.end))[:-4]}, {song.end.bar - 1} bars"),
        ("Rate", f"{song.sample_rate / 1000:g} kHz"),
        ("Tracks, groups, returns", f"{len(plan.tracks)}, {len(plan.groups)}, {len(plan.returns)}"),
        ("Meter", ", ".join(f"{m.beats}/{m.unit}{f' from bar {m.bar}' if m.bar > 1 else ''}" for m in song.meters[:6])),
    ]
    tempos = [
        (str(tempo.at), f"{tempo.bpm:g} × {tempo.beat}{', ramp to it' if tempo.ramp else ''}") for tempo in song.tempos
    ]
    rows = [_section(plan, section.name, section.start, section.end) for section in song.sections]
    flow = flow_drawing(plan) if plan.returns else None
    flow_mm = flow.height / flow.width * _FLOW_WIDE_MM + 4 if flow else 0.0
    first, *more = packed(rows, lambda row: row_mm((row.name, 22)), LEAF_MM - _HEAD_MM - min(flow_mm, _FLOW_MM)) or [[]]
    yield Leaf("cover", song.title, "recall sheet", Cover(facts, tempos[:_TEMPOS], first, flow))
    for sections in more:
        yield Leaf("cover", song.title, "sections, continued", Cover([], [], sections, None))
    for start in range(_TEMPOS, len(tempos), _MORE_TEMPOS):
        yield Leaf("cover", song.title, "tempos, continued", Cover([], tempos[start : start + _MORE_TEMPOS], [], None))


def _section(plan: Plan, name: str, start: Position, end: Position) -> SectionRow:
    first, last = (plan.song.time.seconds_at(each) for each in (start, end))
    until = end.bar - 1 if end == Position(end.bar) else end.bar
    length = f"{figure(last - first, 1)} s" if last - first < 100 else seconds_in_words(last - first)
    return SectionRow(name, f"{start.bar} to {until}", clock_words(first), length)
