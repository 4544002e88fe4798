"""Draws a move: layers over each other, the own value, sections, points, throws."""

import math
from collections.abc import Iterable
from itertools import pairwise

import numpy as np

from highhall.curves.curve import SILENCE_DB, Curve, Stretch
from highhall.plan import Move, Plan, Section, SectionValue, Song, Target
from highhall.plan.kinds import Parameter, Scale
from highhall.plan.model import MoveValue
from highhall.plan.references import movable_parameter
from highhall.timing import NoteValue, Position, TimeValue

_PIECES = 64


def curve_of(plan: Plan, target: Target, own: MoveValue) -> Curve:
    """Return the curve of a target of a plan whose own value is `own`: constant if it has no move."""
    return drawn_curve(plan.song, movable_parameter(plan, target), own, plan.move(target))


def drawn_curve(song: Song, parameter: Parameter, own: MoveValue, move: Move | None) -> Curve:
    """Return the curve of a value that is not a time: constant without a move."""
    drawing = Drawing(song, parameter)
    first = drawing.run(own, Position(1))
    stretches = [Stretch(-math.inf, math.inf, first, first)] if move is None else drawing.all_layers(own, move)
    return Curve(tuple(stretches), parameter.scale, drawing.time, drawing.notes)


class Drawing:
    """Draws the layers of one move through the song's time."""

    def __init__(self, song: Song, parameter: Parameter) -> None:
        self._song = song
        self.time = song.time
        self._rate = song.sample_rate
        self._parameter = parameter
        self.notes: dict[float, NoteValue] = {}

    def all_layers(self, own: MoveValue, move: Move) -> list[Stretch]:
        """Return the stretches of a move over the own value."""
        stretches = self._sections(self.run(own, Position(1)), move.sections)
        return self._throws(self._points(stretches, move), move)

    def run(self, value: MoveValue, at: Position) -> float | None:
        """Return a value in the unit it runs in; a switch is a level, a note value its rate at a position."""
        parameter = self._parameter
        if isinstance(value, bool):
            return None if value is parameter.closes else 0.0
        if value is None and parameter.scale is Scale.LEVEL:
            return None
        if value is None:
            value = parameter.null_acts_as
        if isinstance(value, NoteValue):
            tempos = self.time.tempos
            speed = tempos.speed_at(self.time.meters.whole_notes_at(at))
            rate = math.log(speed / float(value.whole_notes))
            self.notes[rate] = value
            return rate
        if not isinstance(value, (int, float)):
            raise TypeError(f"{parameter.name} cannot run as a number: {value!r}")
        return math.log(value) if parameter.scale is Scale.LOGARITHMIC else float(value)

    def _sample(self, position: Position) -> float:
        return float(self.time.sample_at(position))

    def _before(self, length: TimeValue, anchor: Position) -> float:
        return self.time.seconds_ahead_of(length, anchor) * self._rate

    def _after(self, length: TimeValue, anchor: Position) -> float:
        return self.time.seconds_after(length, anchor) * self._rate

    def _sections(self, own: float | None, values: Iterable[SectionValue]) -> list[Stretch]:
        """Draw the own value, inside each named section that section's value, and back after it."""
        by_section = {value.section: value for value in values}
        named = sorted(
            (section for section in self._song.sections if section.id in by_section),
            key=lambda section: section.start,
        )
        stretches = [Stretch(-math.inf, math.inf, own, own)]
        for index, section in enumerate(named):
            value = by_section[section.id]
            aim = self.run(value.value, section.start)
            stretches = self._entered(stretches, section, value, aim)
            following = named[index + 1] if index + 1 < len(named) else None
            if following is None or following.start > section.end:
                stretches = _overlaid(stretches, [Stretch(self._sample(section.end), math.inf, own, own)])
        return stretches

    def _entered(
        self, stretches: list[Stretch], section: Section, value: SectionValue, aim: float | None
    ) -> list[Stretch]:
        start = self._sample(section.start)
        begin = end = start
        if value.ramp is not None and value.ramp_side == "before":
            begin = self._before(value.ramp, section.start)
        elif value.ramp is not None:
            end = self._after(value.ramp, section.start)
        ramp = [] if begin == end else _ramp(Stretch(begin, end, _value_at(stretches, begin), aim), value.ramp_bend)
        return _overlaid(stretches, [*ramp, Stretch(end, math.inf, aim, aim)])

    def _points(self, stretches: list[Stretch], move: Move) -> list[Stretch]:
        """Lay the points over, from the first to the last, both inclusive."""
        if not move.points:
            return stretches
        placed = [(self._sample(p.at), self.run(p.value, p.at), p.shape) for p in move.points]
        drawn = []
        for (start, first, _), (end, last, shape) in pairwise(placed):
            drawn.append(Stretch(start, end, first, first if shape == "hold" else last))
        end, last, _ = placed[-1]
        drawn.append(Stretch(end, end + 1, last, last))
        return _overlaid(stretches, drawn)

    def _throws(self, stretches: list[Stretch], move: Move) -> list[Stretch]:
        """Lay each throw over all that, with its ramps from and to what lies below."""
        below = stretches
        for throw in sorted(move.throws, key=lambda throw: throw.at):
            start, end = self._sample(throw.at), self._after(throw.length, throw.at)
            aim = self.run(throw.value, throw.at)
            drawn = [Stretch(start, end, aim, aim)]
            if throw.ramp_in is not None:
                begin = self._before(throw.ramp_in, throw.at)
                drawn.insert(0, Stretch(begin, start, _value_at(stretches, begin), aim))
            if throw.ramp_out is not None:
                close = self.time.position_at_sample(round(end))
                finish = self._after(throw.ramp_out, close)
                drawn.append(Stretch(end, finish, aim, _value_at(below, finish)))
            stretches = _overlaid(stretches, drawn)
        return stretches


def _ramp(line: Stretch, bend: float) -> list[Stretch]:
    """Return a line, or in its place pieces of an exponential that has come (1 + bend) / 2 of the way half-way through.

    Its part of the way at a part x of the length is (1 - r^x) / (1 - r) with r = ((1 - bend) / (1 + bend))^2, since half of
    the length then gives 1 / (1 + sqrt(r)). Pieces miss it by less than 0.2 % of the way.
    """
    ends = [SILENCE_DB if value is None else value for value in (line.first, line.last)]
    is_from_silence = None in (line.first, line.last)
    if bend == 0 or line.is_still or (is_from_silence and max(ends) <= SILENCE_DB):
        return [line]
    parts = np.linspace(0, 1, _PIECES + 1)
    exponent = 2 * math.log((1 - bend) / (1 + bend))
    samples = line.start + parts * (line.end - line.start)
    values = ends[0] + np.expm1(exponent * parts) / math.expm1(exponent) * (ends[1] - ends[0])
    inner = [*map(float, values[1:-1])]
    return [
        Stretch(float(start), float(end), first, last)
        for (start, end), (first, last) in zip(
            pairwise(samples), pairwise([line.first, *inner, line.last]), strict=True
        )
    ]


def _value_at(stretches: list[Stretch], sample: float) -> float | None:
    return next(stretch for stretch in reversed(stretches) if stretch.start <= sample).at(sample)


def _overlaid(below: list[Stretch], above: list[Stretch]) -> list[Stretch]:
    """Lay touching stretches over others; what is covered goes, what is cut keeps its line."""
    start, end = above[0].start, above[-1].end
    before = [_cut(s, s.start, min(s.end, start)) for s in below if s.start < start]
    after = [_cut(s, max(s.start, end), s.end) for s in below if s.end > end]
    return [*before, *above, *after]


def _cut(stretch: Stretch, start: float, end: float) -> Stretch:
    if (start, end) == (stretch.start, stretch.end):
        return stretch
    return Stretch(start, end, stretch.at(start), stretch.at(end))
