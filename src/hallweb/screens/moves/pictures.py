"""The Moves screen's drawings: a value through the song, to scale in time, with what its source plays behind it."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from hallweb.screens.common.level_scale import HIGHEST_DB, LOWEST_DB
from hallweb.screens.common.templatetags.figures import px
from hallweb.screens.moves.targets import key_of, target_label
from highhall.advise.throws import PhraseEnd
from highhall.curves import curve_of
from highhall.measure import Phrase, StemAnalysis
from highhall.plan import Move, Plan, Point, Song, Target
from highhall.plan.edits.moves import own_value
from highhall.plan.kinds import Parameter, Scale
from highhall.plan.model import MoveValue
from highhall.plan.move_table import ramp_in_words, target_place
from highhall.plan.references import glides, movable_parameter
from highhall.timing import Milliseconds, NoteValue
from highhall.wording import Form, figure, position_in_words

WIDTH, HEIGHT, TOP = 1000.0, 84.0, 12.0
_COLUMN_PX = 5
_WAVE_DB = 60.0
_TEXT_FROM_PX = 34


@dataclass(frozen=True)
class SongScale:
    """The song's time on the screen's width."""

    song: Song

    @cached_property
    def end_s(self) -> float:
        """How long the song is."""
        return self.song.end_sample / self.song.sample_rate

    def x(self, seconds: float) -> float:
        """Return where a time lies, in pixels, kept inside the song."""
        return min(max(seconds / self.end_s, 0.0), 1.0) * WIDTH

    def x_of_sample(self, sample: float) -> float:
        """Return where a sample lies; it may be infinite."""
        return self.x(sample / self.song.sample_rate)


@dataclass(frozen=True, slots=True, kw_only=True)
class Heard:
    """What the source of a send plays, as far as it was listened to."""

    outline: str = ""
    phrases: Sequence[tuple[float, float]] = ()
    ends: Sequence[PhraseEnd] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Cell:
    """A value in a section: `is_set` where it is the section's own; coordinates as they are written.

    is_written: whether its figure stands in the picture, or would only repeat the one before.
    """

    section: str
    x: str
    width: str
    text: str
    y: str
    text_y: str
    is_set: bool
    is_written: bool
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class RampEnd:
    """Where a section's own value begins, and its ramp: in words, and in whole notes, below 0 where it lies before.

    whole_s: how long a whole note lasts there. bend: of the ramp, in per cent; None where it cannot be bent.
    """

    section: str
    section_name: str
    x: float
    y: float
    whole_s: float
    wholes: float
    bend: int | None
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Flag:
    """A throw as a flag."""

    at: str
    place: str
    x: float
    width: float
    text: str
    length: str
    value: str
    ramp_in: str
    ramp_out: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Dot:
    """A point of a move."""

    at: str
    x: float
    y: float
    words: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """One value through the song."""

    key: str
    name: str
    what: str
    base: str
    unit: str
    line: str
    area: str
    cells: Sequence[Cell]
    flags: Sequence[Flag]
    dots: Sequence[Dot]
    ticks: Sequence[tuple[float, str]]
    moves: bool
    tint: str = ""
    heard: Heard = field(default_factory=Heard)
    ends: Sequence[tuple[int, float]] = ()
    ramps: Sequence[RampEnd] = ()
    is_level: bool = False


class Drawing:
    """A parameter's scale on a row's height."""

    def __init__(self, parameter: Parameter) -> None:
        self.parameter = parameter
        self.is_level = parameter.scale is Scale.LEVEL
        self._is_switch = parameter.scale is Scale.SWITCH
        self._is_log = parameter.scale is Scale.LOGARITHMIC
        low, high = (LOWEST_DB, HIGHEST_DB) if self.is_level else (parameter.low, parameter.high)
        self._low, self._high = (math.log(low), math.log(high)) if self._is_log else (low, high)

    def y(self, run: float | None) -> float:
        """Return the height of a value in the unit that it runs in; None is silence."""
        if self._is_switch:
            share = 0.0 if run is None else 1.0
        elif run is None:
            share = 0.0
        else:
            share = (run - self._low) / (self._high - self._low)
        return TOP + 2 + (1 - min(max(share, 0.0), 1.0)) * (HEIGHT - TOP - 3)

    def y_of(self, value: MoveValue, song: Song) -> float:
        """Return the height of a value as the plan writes it."""
        if isinstance(value, bool):
            return self.y(None if value is self.parameter.closes else 0.0)
        if isinstance(value, (NoteValue, Milliseconds)):
            seconds = song.time.seconds_of(value, song.tempos[0].at)
            return self.y(1 / seconds if self.parameter.form is Form.RATE else seconds * 1000)
        if value is None and not self.is_level:
            value = self.parameter.null_acts_as
        if not isinstance(value, (int, float)):
            return self.y(None)
        return self.y(math.log(value) if self._is_log else float(value))

    def text(self, value: MoveValue) -> str:
        """Return a value as it is written on the picture."""
        return self.parameter.figure(value)

    @property
    def ticks(self) -> list[tuple[float, str]]:
        """Lines of the scale: height and figure."""
        if self.is_level:
            return [(self.y(db), figure(db, 0)) for db in (0.0, -12.0, -24.0)]
        return []


def row_of(
    plan: Plan, target: Target, scale: SongScale, *, tint: str, name: str = "", heard: Heard | None = None
) -> Row:
    """Return the row of a value."""
    drawing = Drawing(movable_parameter(plan, target))
    own = own_value(plan, target)
    move = plan.move(target) or Move(target=target)
    heard = heard or Heard()
    points = list(_line(plan, target, scale, drawing, own, move))
    line = " ".join(f"{px(x)},{px(y)}" for x, y in points)
    unit = drawing.parameter.symbol
    place = name or target_place(plan, target)
    return Row(
        key=key_of(target),
        name=place,
        what=target_label(plan, target),
        base=drawing.parameter.words(own),
        unit=unit,
        line=line,
        area=f"{line} {WIDTH:g},{HEIGHT:g} 0,{HEIGHT:g}",
        cells=list(_cells(plan, place, scale, drawing, own, move)),
        flags=list(_flags(plan, scale, drawing, move)),
        dots=[_dot(plan, scale, drawing, point) for point in move.points],
        ticks=drawing.ticks,
        moves=plan.move(target) is not None,
        tint=tint,
        heard=heard,
        ends=[(index, scale.x(end.end_s)) for index, end in enumerate(heard.ends)],
        ramps=list(_ramps(plan, scale, drawing, move)),
        is_level=drawing.is_level,
    )


def _line(
    plan: Plan, target: Target, scale: SongScale, drawing: Drawing, own: MoveValue, move: Move
) -> Iterator[tuple[float, float]]:
    """Yield the corners of the value as it is drawn before it is smoothed; where it does not glide, of its steps."""
    if not glides(drawing.parameter, target):
        yield from _steps(plan.song, scale, drawing, own, move)
        return
    for stretch in curve_of(plan, target, own).stretches:
        start, end = scale.x_of_sample(stretch.start), scale.x_of_sample(stretch.end)
        if end > start:
            yield start, drawing.y(stretch.first)
            yield end, drawing.y(stretch.last)


def _steps(song: Song, scale: SongScale, drawing: Drawing, own: MoveValue, move: Move) -> Iterator[tuple[float, float]]:
    values = {value.section: value.value for value in move.sections}
    places: list[tuple[float, float, MoveValue]] = []
    at = 0.0
    for section in sorted((s for s in song.sections if s.id in values), key=lambda s: s.start):
        start, end = (scale.x(song.time.seconds_at(position)) for position in (section.start, section.end))
        places += [(at, start, own), (start, end, values[section.id])]
        at = end
    for start, end, value in [*places, (at, WIDTH, own)]:
        if end > start:
            yield start, drawing.y_of(value, song)
            yield end, drawing.y_of(value, song)


def _cells(plan: Plan, place: str, scale: SongScale, drawing: Drawing, own: MoveValue, move: Move) -> Iterator[Cell]:
    values = {value.section: value for value in move.sections}
    before: MoveValue | object = object()  # a value is written where it becomes another one
    for section in plan.song.sections:
        start, end = (scale.x(plan.song.time.seconds_at(position)) for position in (section.start, section.end))
        here = values.get(section.id)
        value = here.value if here else own
        text = drawing.text(value)
        y = drawing.y_of(value, plan.song)
        ramp = f", ramp {words}" if here and (words := ramp_in_words(here)) else ""
        yield Cell(
            section=section.id,
            x=px(start),
            width=px(end - start),
            text=text,
            is_written=bool(here) or (value != before and end - start >= _TEXT_FROM_PX),
            y=px(y),
            text_y=px(y + 15 if y < HEIGHT - 20 else y - 5),
            is_set=here is not None,
            words=f"{place} in {section.name}: {text}{ramp}"
            if here
            else f"{place} in {section.name}: {text}, as in the song",
        )
        before = value


def _ramps(plan: Plan, scale: SongScale, drawing: Drawing, move: Move) -> Iterator[RampEnd]:
    time = plan.song.time
    for value in move.sections:
        section = plan.song.section(value.section)
        whole_s = time.seconds_of(NoteValue(1, 1), section.start)
        wholes = time.seconds_of(value.ramp, section.start) / whole_s if value.ramp else 0.0
        yield RampEnd(
            section=value.section,
            section_name=section.name,
            x=scale.x(time.seconds_at(section.start)),
            y=drawing.y_of(value.value, plan.song),
            whole_s=whole_s,
            wholes=round(-wholes if value.ramp_side == "before" else wholes, 6),
            bend=round(100 * value.ramp_bend) if value.ramp and glides(drawing.parameter, move.target) else None,
            words=ramp_in_words(value) or "a jump",
        )


def _flags(plan: Plan, scale: SongScale, drawing: Drawing, move: Move) -> Iterator[Flag]:
    time = plan.song.time
    for throw in move.throws:
        start, end = time.seconds_at(throw.at), time.seconds_after(throw.length, throw.at)
        text = drawing.text(throw.value)
        yield Flag(
            at=str(throw.at),
            place=position_in_words(throw.at),
            x=scale.x(start),
            width=max(scale.x(end) - scale.x(start), 2.0),
            text=text,
            length=str(throw.length),
            value=text,
            ramp_in=str(throw.ramp_in or ""),
            ramp_out=str(throw.ramp_out or ""),
        )


def _dot(plan: Plan, scale: SongScale, drawing: Drawing, point: Point) -> Dot:
    return Dot(
        at=str(point.at),
        x=scale.x(plan.song.time.seconds_at(point.at)),
        y=drawing.y_of(point.value, plan.song),
        words=f"point at {position_in_words(point.at)}: {drawing.text(point.value)}",
    )


def silhouette(scale: SongScale, analysis: StemAnalysis, start_s: float) -> str:
    """Return what a stem plays as the corners of an outline over a row's floor, from -60 dBFS up."""
    columns = round(WIDTH / _COLUMN_PX)
    peaks = analysis.overview(-start_s, scale.end_s - start_s, columns)
    heights = np.clip((20 * np.log10(np.maximum(peaks, 1e-6)) + _WAVE_DB) / _WAVE_DB, 0, 1) * (HEIGHT - TOP) * 0.7
    tops = np.rint(HEIGHT - heights).astype(int).tolist()
    corners = " ".join(f"{x},{y}" for x, y in zip(range(2, round(WIDTH), _COLUMN_PX), tops, strict=True))
    return f"0,{HEIGHT:g} {corners} {WIDTH:g},{HEIGHT:g}"


def brackets(scale: SongScale, phrases: Sequence[Phrase], start_s: float) -> list[tuple[float, float]]:
    """Return where phrases begin and how wide they are."""
    return [(scale.x(start_s + p.start_s), scale.x(start_s + p.end_s) - scale.x(start_s + p.start_s)) for p in phrases]
