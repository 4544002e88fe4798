"""The tempo map: how many whole notes pass in a second, and its integral both ways.

Between changes the speed v (whole notes a second) is constant or, before a change that is reached by
a ramp, a straight line over musical position q: v(q) = v0 + k (q - q0). Then
t - t0 = ln(v(q) / v0) / k, and back q - q0 = v0 (exp(k (t - t0)) - 1) / k: both in closed form.
"""

import math
from bisect import bisect_right
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from highhall.errors import CoreError


class TempoError(CoreError):
    """A list of tempo changes does not describe a song."""


@dataclass(frozen=True, slots=True, kw_only=True)
class TempoChange:
    """From `at_whole_notes` on, `whole_notes_per_s` pass; reached by a straight line if `is_ramp`."""

    at_whole_notes: Fraction
    whole_notes_per_s: float
    is_ramp: bool = False


@dataclass(frozen=True, slots=True)
class _Stretch:
    """A stretch of the map in which the speed is `speed` + `slope` (q - `start`)."""

    start: float
    start_s: float
    speed: float
    slope: float

    def seconds_at(self, whole_notes: float) -> float:
        distance = whole_notes - self.start
        if self.slope == 0 or distance <= 0:
            return self.start_s + distance / self.speed
        return self.start_s + math.log1p(self.slope * distance / self.speed) / self.slope

    def whole_notes_at(self, seconds: float) -> float:
        elapsed = seconds - self.start_s
        if self.slope == 0 or elapsed <= 0:
            return self.start + elapsed * self.speed
        return self.start + self.speed * math.expm1(self.slope * elapsed) / self.slope


class TempoMap:
    """The way between musical position (whole notes from 1|1) and seconds from 1|1.

    Before 1|1 the first tempo holds; after the last change its tempo stays.
    """

    def __init__(self, changes: Sequence[TempoChange]) -> None:
        places = [change.at_whole_notes for change in changes]
        if places[:1] != [0] or places != sorted(set(places)) or changes[0].is_ramp:
            raise TempoError("tempos must start at 1|1 without a ramp and ascend")
        self._stretches: list[_Stretch] = []
        start_s = 0.0
        for change, following in pairwise(changes):
            length = float(following.at_whole_notes - change.at_whole_notes)
            rise = following.whole_notes_per_s - change.whole_notes_per_s if following.is_ramp else 0.0
            stretch = _Stretch(float(change.at_whole_notes), start_s, change.whole_notes_per_s, rise / length)
            self._stretches.append(stretch)
            start_s = stretch.seconds_at(float(following.at_whole_notes))
        last = changes[-1]
        self._stretches.append(_Stretch(float(last.at_whole_notes), start_s, last.whole_notes_per_s, 0.0))
        self._starts = [stretch.start for stretch in self._stretches]
        self._starts_s = [stretch.start_s for stretch in self._stretches]

    @property
    def stretches(self) -> tuple[tuple[float, ...], ...]:
        """All that the map is: of each stretch its start in whole notes and in seconds, its speed there, and its slope."""
        return tuple((s.start, s.start_s, s.speed, s.slope) for s in self._stretches)

    @property
    def is_constant(self) -> bool:
        """Whether one tempo holds from the first bar to the last."""
        return all(s.slope == 0 and s.speed == self._stretches[0].speed for s in self._stretches)

    @property
    def slowest(self) -> float:
        """The lowest speed anywhere, in whole notes a second."""
        return min(stretch.speed for stretch in self._stretches)

    @property
    def fastest(self) -> float:
        """The highest speed anywhere, in whole notes a second."""
        return max(stretch.speed for stretch in self._stretches)

    def seconds_at(self, whole_notes: Fraction | float) -> float:
        """Return seconds from 1|1 at a musical position; negative before 1|1."""
        place = float(whole_notes)
        return self._stretches[max(bisect_right(self._starts, place) - 1, 0)].seconds_at(place)

    def whole_notes_at(self, seconds: float) -> float:
        """Return the musical position `seconds` after 1|1; the inverse of `seconds_at`."""
        return self._stretches[max(bisect_right(self._starts_s, seconds) - 1, 0)].whole_notes_at(seconds)

    def speed_at(self, whole_notes: Fraction | float) -> float:
        """Return whole notes a second at a musical position."""
        place = float(whole_notes)
        stretch = self._stretches[max(bisect_right(self._starts, place) - 1, 0)]
        return stretch.speed + stretch.slope * max(place - stretch.start, 0.0)

    def slowest_speed(self, start: Fraction, end: Fraction) -> tuple[float, float]:
        """Return the lowest speed in [start, end] and the position (whole notes) where it holds."""
        inner = [place for place in self._starts if float(start) < place < float(end)]
        just_before = [math.nextafter(place, -math.inf) for place in [*inner, float(end)]]
        places = [float(start), *inner, *just_before]
        return min((self.speed_at(place), place) for place in places)

    def seconds_before(self, seconds: NDArray[np.float64], whole_notes: float) -> NDArray[np.float64]:
        """Return, for each time, the time that lies `whole_notes` earlier in musical position.

        seconds: (frames,), ascending. This is T(Q(t) - note): where an echo of that note value comes from.
        """
        return self._seconds_at_many(self.whole_notes_at_many(seconds) - whole_notes)

    def steady_lags(self, whole_notes: float) -> Iterator[tuple[float, float, float]]:
        """Yield (from, to, lag) in seconds: between those times what lies `whole_notes` earlier is always that lag ago, for it is the same tempo there."""
        ends_s = [*self._starts_s[1:], math.inf]
        for index, (stretch, end_s) in enumerate(zip(self._stretches, ends_s, strict=True)):
            lag = whole_notes / stretch.speed
            start_s = stretch.start_s + lag if index else -math.inf
            if stretch.slope == 0 and start_s < end_s:
                yield start_s, end_s, lag

    def whole_notes_at_many(self, seconds: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return the musical position at each of ascending times."""
        result = np.empty_like(seconds)
        for stretch, chosen in self._owned(seconds, self._starts_s):
            elapsed = seconds[chosen] - stretch.start_s
            passed = elapsed * stretch.speed
            if stretch.slope:  # before 1|1 the first tempo holds, even where a ramp starts there
                curved = stretch.speed * np.expm1(stretch.slope * np.maximum(elapsed, 0.0)) / stretch.slope
                passed = np.where(elapsed > 0, curved, passed)
            result[chosen] = stretch.start + passed
        return result

    def _seconds_at_many(self, whole_notes: NDArray[np.float64]) -> NDArray[np.float64]:
        result = np.empty_like(whole_notes)
        for stretch, chosen in self._owned(whole_notes, self._starts):
            distance = whole_notes[chosen] - stretch.start
            passed = distance / stretch.speed
            if stretch.slope:
                curved = np.log1p(stretch.slope * np.maximum(distance, 0.0) / stretch.speed) / stretch.slope
                passed = np.where(distance > 0, curved, passed)
            result[chosen] = stretch.start_s + passed
        return result

    def _owned(self, ascending: NDArray[np.float64], starts: list[float]) -> Iterator[tuple[_Stretch, slice]]:
        """Yield each stretch with the slice of ascending values that lies in it; the first has all before."""
        edges = [0, *(int(np.searchsorted(ascending, start)) for start in starts[1:]), len(ascending)]
        for stretch, (first, last) in zip(self._stretches, pairwise(edges), strict=True):
            if first < last:
                yield stretch, slice(first, last)
