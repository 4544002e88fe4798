"""Moves as curves: values drawn over time, then averaged so that nothing clicks.

A curve is first drawn with its jumps and corners as pieces in time order, in the unit it runs in: dB for
levels and switches (a switch is a level between 0 dB and silence), the value itself for pan and width.
Layers lie over each other: the object's own value, sections, points, throws. Then it is averaged over
the 5 ms that follow, levels as amplitude: g[n] = sum w[k] raw[n + k] / sum w, w[k] = 1 - cos(2 pi (k +
0.5) / K), so that a jump is complete exactly on its boundary.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numba import njit
from numpy.typing import NDArray

from highhall.plan import Move, Plan, Section, SectionValue, Target
from highhall.plan.kinds import Parameter, Scale
from highhall.plan.model import MoveValue
from highhall.plan.references import movable_parameter
from highhall.timing import Position, TimeValue

Values = NDArray[np.float64]

_SILENCE_DB = -60.0  # a line from or to silence runs from or to this
_SMOOTHING_S = 0.005


@dataclass(frozen=True, slots=True)
class _Stretch:
    """From sample `start` (a float) to `end`, a line from `first` to `last`; None is silence."""

    start: float
    end: float
    first: float | None
    last: float | None

    def at(self, sample: float) -> float | None:
        if self.first == self.last or self.start == -math.inf or self.end == math.inf:
            return self.first
        part = (sample - self.start) / (self.end - self.start)
        first = _SILENCE_DB if self.first is None else self.first
        last = _SILENCE_DB if self.last is None else self.last
        return first + part * (last - first)


@dataclass(frozen=True, slots=True)
class Curve:
    """A drawn curve: stretches that touch, in time order, and whether they are levels."""

    stretches: tuple[_Stretch, ...]
    is_level: bool
    sample_rate: int

    @property
    def constant(self) -> float | None:
        """The one value (as a factor, if a level) that holds throughout, or None if it moves."""
        first = self.stretches[0].first
        if all(s.first == s.last == first for s in self.stretches):
            return float(self._linear(first)) if self.is_level else first
        return None

    @staticmethod
    def _linear(level_db: float | None) -> float:
        return 0.0 if level_db is None else float(10 ** (level_db / 20))

    def drawn(self, start: int, stop: int) -> Values:
        """Return the drawn curve from sample `start` to `stop`, levels as amplitude."""
        values = np.empty(stop - start)
        for stretch in self.stretches:
            first = max(start, math.ceil(stretch.start) if stretch.start > -math.inf else start)
            last = min(stop, math.ceil(stretch.end) if stretch.end < math.inf else stop)
            if first < last:
                values[first - start : last - start] = self._drawn_stretch(stretch, first, last)
        return values

    def _drawn_stretch(self, stretch: _Stretch, first: int, last: int) -> Values | float:
        begin, end = stretch.first, stretch.last
        if begin == end:
            return self._linear(begin) if self.is_level else float(begin or 0.0)
        part = (np.arange(first, last) - stretch.start) / (stretch.end - stretch.start)
        if not self.is_level:
            low, high = float(begin or 0.0), float(end or 0.0)
            line: Values = np.asarray(low + part * (high - low), np.float64)
            return line
        heard = begin if begin is not None else end
        if (begin is None or end is None) and heard is not None and heard <= _SILENCE_DB:
            low, high = self._linear(begin), self._linear(end)
            straight: Values = np.asarray(low + part * (high - low), np.float64)
            return straight
        low = _SILENCE_DB if begin is None else begin
        high = _SILENCE_DB if end is None else end
        levels: Values = 10 ** ((low + part * (high - low)) / 20)
        return levels

    def gains(self, start: int, stop: int) -> Values:
        """Return the curve as it is heard: drawn, then averaged over the 5 ms that follow."""
        window = _smoothing_window(self.sample_rate)
        drawn = self.drawn(start, stop + len(window) - 1)
        out = np.empty(stop - start)
        _average_ahead(drawn, window, out)
        return out

    def fingerprint(self, start: int, stop: int) -> tuple[object, ...]:
        """Return what the curve depends on between two samples: its stretches there."""
        reach = stop + len(_smoothing_window(self.sample_rate))
        return tuple(
            (-math.inf if s.first == s.last and s.start < start else s.start,
             math.inf if s.first == s.last and s.end > reach else s.end, s.first, s.last)
            for s in self.stretches
            if s.end > start and s.start < reach
        )  # fmt: skip


@njit("void(float64[::1], float64[::1], float64[::1])", nogil=True, cache=True)
def _average_ahead(drawn: Values, window: Values, out: Values) -> None:
    """Average over a window ahead; where nothing changes the value is taken as it is."""
    width = window.shape[0]
    same = 1  # how many values from here on are equal
    for n in range(drawn.shape[0] - 2, -1, -1):
        same = same + 1 if drawn[n] == drawn[n + 1] else 1
        if n >= out.shape[0]:
            continue
        if same >= width:
            out[n] = drawn[n]
            continue
        total = 0.0
        for k in range(width):
            total += window[k] * drawn[n + k]
        out[n] = total


def _smoothing_window(sample_rate: int) -> Values:
    width = round(_SMOOTHING_S * sample_rate)
    window = 1 - np.cos(2 * np.pi * (np.arange(width) + 0.5) / width)
    scaled: Values = window / window.sum()
    return scaled


def curve_of(plan: Plan, target: Target, own: MoveValue) -> Curve:
    """Return the curve of a target whose own value is `own`: constant if it has no move."""
    parameter = movable_parameter(plan, target)
    is_level = parameter.scale in (Scale.LEVEL, Scale.SWITCH)
    rate = plan.song.sample_rate
    move = plan.move(target)
    base = (_Stretch(-math.inf, math.inf, _run(parameter, own), _run(parameter, own)),)
    if move is None:
        return Curve(base, is_level, rate)
    drawing = _Drawing(plan, parameter)
    stretches = drawing.sections(base[0].first, move.sections)
    stretches = drawing.points(stretches, move)
    stretches = drawing.throws(stretches, move)
    return Curve(tuple(stretches), is_level, rate)


def _run(parameter: Parameter, value: MoveValue) -> float | None:
    """Return a value in the unit it runs in; a switch is a level."""
    if isinstance(value, bool):
        is_on = value if parameter.name == "on" else not value  # mute works the other way round
        return 0.0 if is_on else None
    if value is None:
        return None
    if isinstance(value, (int, float)):
        return float(value)
    raise TypeError(f"{parameter.name} cannot run as a number: {value!r}")


class _Drawing:
    """Draws the layers of one move through the song's time."""

    def __init__(self, plan: Plan, parameter: Parameter) -> None:
        self._plan = plan
        self._time = plan.song.time
        self._rate = plan.song.sample_rate
        self._parameter = parameter

    def _sample(self, position: Position) -> float:
        return float(self._time.sample_at(position))

    def _before(self, length: TimeValue, anchor: Position) -> float:
        return self._time.seconds_ahead_of(length, anchor) * self._rate

    def _after(self, length: TimeValue, anchor: Position) -> float:
        return self._time.seconds_after(length, anchor) * self._rate

    def sections(self, own: float | None, values: Iterable[SectionValue]) -> list[_Stretch]:
        """Draw the own value, inside each named section that section's value, and back after it."""
        by_section = {value.section: value for value in values}
        named = sorted(
            (section for section in self._plan.song.sections if section.id in by_section),
            key=lambda section: section.start,
        )
        stretches = [_Stretch(-math.inf, math.inf, own, own)]
        for index, section in enumerate(named):
            value = by_section[section.id]
            aim = _run(self._parameter, value.value)
            stretches = self._entered(stretches, section, value, aim)
            following = named[index + 1] if index + 1 < len(named) else None
            if following is None or following.start > section.end:
                stretches = _overlaid(stretches, [_Stretch(self._sample(section.end), math.inf, own, own)])
        return stretches

    def _entered(
        self, stretches: list[_Stretch], section: Section, value: SectionValue, aim: float | None
    ) -> list[_Stretch]:
        start = self._sample(section.start)
        begin = end = start
        if value.ramp is not None and value.ramp_side == "before":
            begin = self._before(value.ramp, section.start)
        elif value.ramp is not None:
            end = self._after(value.ramp, section.start)
        ramp = [] if begin == end else [_Stretch(begin, end, _value_at(stretches, begin), aim)]
        return _overlaid(stretches, [*ramp, _Stretch(end, math.inf, aim, aim)])

    def points(self, stretches: list[_Stretch], move: Move) -> list[_Stretch]:
        """Lay the points over, from the first to the last, both inclusive."""
        if not move.points:
            return stretches
        placed = [(self._sample(p.at), _run(self._parameter, p.value), p.shape) for p in move.points]
        drawn = []
        for (start, first, _), (end, last, shape) in pairwise(placed):
            drawn.append(_Stretch(start, end, first, first if shape == "hold" else last))
        end, last, _ = placed[-1]
        drawn.append(_Stretch(end, end + 1, last, last))
        return _overlaid(stretches, drawn)

    def throws(self, stretches: list[_Stretch], move: Move) -> list[_Stretch]:
        """Lay each throw over all that, with its ramps from and to what lies below."""
        below = stretches
        for throw in sorted(move.throws, key=lambda throw: throw.at):
            start, end = self._sample(throw.at), self._after(throw.length, throw.at)
            aim = _run(self._parameter, throw.value)
            drawn = [_Stretch(start, end, aim, aim)]
            if throw.ramp_in is not None:
                begin = self._before(throw.ramp_in, throw.at)
                drawn.insert(0, _Stretch(begin, start, _value_at(stretches, begin), aim))
            if throw.ramp_out is not None:
                close = self._time.position_at_sample(round(end))
                finish = self._after(throw.ramp_out, close)
                drawn.append(_Stretch(end, finish, aim, _value_at(below, finish)))
            stretches = _overlaid(stretches, drawn)
        return stretches


def _value_at(stretches: list[_Stretch], sample: float) -> float | None:
    return next(stretch for stretch in reversed(stretches) if stretch.start <= sample).at(sample)


def _overlaid(below: list[_Stretch], above: list[_Stretch]) -> list[_Stretch]:
    """Lay touching stretches over others; what is covered goes, what is cut keeps its line."""
    start, end = above[0].start, above[-1].end
    before = [_cut(s, s.start, min(s.end, start)) for s in below if s.start < start]
    after = [_cut(s, max(s.start, end), s.end) for s in below if s.end > end]
    return [*before, *above, *after]


def _cut(stretch: _Stretch, start: float, end: float) -> _Stretch:
    if (start, end) == (stretch.start, stretch.end):
        return stretch
    return _Stretch(start, end, stretch.at(start), stretch.at(end))
