"""A drawn curve and how it is heard: averaged over the 5 ms that follow, so that nothing clicks.

A curve is first drawn with its jumps and corners as stretches in time order, in the unit it runs in: dB for
levels and switches (a switch is a level between 0 dB and silence), the logarithm for frequencies, decays and
rates, the value itself for all else. Then it is averaged, levels as amplitude, others in the unit they run in:
g[n] = sum w[k] raw[n + k] / sum w, w[k] = 1 - cos(2 pi (k + 0.5) / K), so that a jump is complete exactly
on its boundary.
"""

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np
from numba import njit
from numpy.typing import NDArray

from highhall.plan.kinds import Scale
from highhall.timing import NoteValue, SongTime

Values = NDArray[np.float64]

CELL = 64
"""Samples for which a value that is not read at every sample is held, on a grid from 1|1."""

SILENCE_DB = -60.0  # a line from or to silence runs from or to this
_SMOOTHING_S = 0.005
_SPAN = 512  # values that are averaged together


@dataclass(frozen=True, slots=True)
class Stretch:
    """From sample `start` (a float) to `end`, a line from `first` to `last`; None is silence."""

    start: float
    end: float
    first: float | None
    last: float | None

    @property
    def is_still(self) -> bool:
        """Whether it holds one value."""
        return self.first == self.last

    def at(self, sample: float) -> float | None:
        """Return the value at a sample, in the unit it runs in."""
        if self.is_still or self.start == -math.inf or self.end == math.inf:
            return self.first
        part = (sample - self.start) / (self.end - self.start)
        first = SILENCE_DB if self.first is None else self.first
        last = SILENCE_DB if self.last is None else self.last
        return first + part * (last - first)


@dataclass(frozen=True, slots=True)
class Curve:
    """Stretches that touch, in time order, in the unit of `scale`.

    What is read from it are amplitude factors for levels and switches, else the value itself. `notes` are the
    note values of a rate, by the unit's value that stands for them in the stretches.
    """

    stretches: tuple[Stretch, ...]
    scale: Scale
    time: SongTime
    notes: Mapping[float, NoteValue] = field(default_factory=dict)

    @property
    def _is_level(self) -> bool:
        return self.scale in (Scale.LEVEL, Scale.SWITCH)

    @property
    def constant(self) -> float | None:
        """The one value that holds throughout, or None if it moves."""
        first = self.stretches[0].first
        return self._read(first) if all(s.first == s.last == first for s in self.stretches) else None

    @property
    def extremes(self) -> tuple[float, float]:
        """The lowest and the highest value it ever takes."""
        values = [self._read(value) for s in self.stretches for value in (s.first, s.last)]
        return min(values), max(values)

    def _read(self, value: float | None) -> float:
        if self._is_level:
            return gain_of_db(value)
        number = float(value or 0.0)
        return math.exp(number) if self.scale is Scale.LOGARITHMIC else number

    def still_until(self, sample: int) -> float:
        """Return the sample up to which what is heard at `sample` goes on unchanged; `sample` itself if it does not."""
        window = len(_smoothing_window(self.time.sample_rate))
        following = [s for s in self.stretches if s.end > sample]
        value, end = following[0].first, float(sample)
        for stretch in following:
            if stretch.first != value or not stretch.is_still:
                break
            end = stretch.end
        return max(end - window, sample)

    def at(self, sample: int) -> float:
        """Return the value as it is heard at one sample."""
        return float(self.values(sample, sample + 1)[0])

    def at_each(self, samples: NDArray[np.int64]) -> Values:
        """Return the value as it is heard at each of some samples."""
        if self.constant is not None:
            return np.full(len(samples), self.constant)
        return np.array([self.at(int(sample)) for sample in samples])

    def drawn_at(self, samples: Values) -> Values:
        """Return the value as it is drawn, before it is averaged, at each of ascending samples."""
        values = np.empty(len(samples))
        for stretch in self.stretches:
            first, last = np.searchsorted(samples, (stretch.start, stretch.end))
            if first < last:
                values[first:last] = self._drawn_stretch(stretch, samples[first:last])
        return np.exp(values) if self.scale is Scale.LOGARITHMIC else values

    def values(self, start: int, stop: int) -> Values:
        """Return the curve as it is heard: drawn, then averaged over the 5 ms that follow."""
        between = self.between(start, stop)
        return np.full(stop - start, between) if isinstance(between, float) else between

    def between(self, start: int, stop: int) -> float | Values:
        """Return what `values` does, as one number where the curve stands still."""
        if self.still_until(start) >= stop:
            return self._read(self.stretches[self._index(start)].first)
        window = _smoothing_window(self.time.sample_rate)
        drawn = self._drawn(start, stop + len(window) - 1)
        out = np.empty(stop - start)
        _average_ahead(drawn, window, out)
        return np.exp(out) if self.scale is Scale.LOGARITHMIC else out

    def _index(self, sample: int) -> int:
        return next(index for index, stretch in enumerate(self.stretches) if stretch.end > sample)

    def _drawn(self, start: int, stop: int) -> Values:
        """Return the drawn curve, levels as amplitude, others in the unit they run in."""
        values = np.empty(stop - start)
        for stretch in self.stretches:
            first = max(start, math.ceil(stretch.start) if stretch.start > -math.inf else start)
            last = min(stop, math.ceil(stretch.end) if stretch.end < math.inf else stop)
            if first < last:
                values[first - start : last - start] = self._drawn_stretch(stretch, np.arange(first, last))
        return values

    def _drawn_stretch(self, stretch: Stretch, samples: NDArray[np.int64] | Values) -> Values | float:
        begin, end = stretch.first, stretch.last
        if stretch.is_still:
            return gain_of_db(begin) if self._is_level else float(begin or 0.0)
        part = (samples - stretch.start) / (stretch.end - stretch.start)
        if not self._is_level:
            low, high = float(begin or 0.0), float(end or 0.0)
            line: Values = np.asarray(low + part * (high - low), np.float64)
            return line
        heard = begin if begin is not None else end
        if (begin is None or end is None) and heard is not None and heard <= SILENCE_DB:
            low, high = gain_of_db(begin), gain_of_db(end)
            straight: Values = np.asarray(low + part * (high - low), np.float64)
            return straight
        low = SILENCE_DB if begin is None else begin
        high = SILENCE_DB if end is None else end
        levels: Values = 10 ** ((low + part * (high - low)) / 20)
        return levels

    def phases(self, samples: NDArray[np.int64]) -> Values:
        """Return the integral of a rate in Hz from 1|1 to each of ascending samples, in cycles.

        Where the rate is a note value a cycle lasts that note: the phase is position / note.
        """
        total = np.zeros(len(samples))
        for stretch in self.stretches:
            begin = max(stretch.start, 0.0)
            if stretch.end > begin:
                total += self._cycles(stretch, begin, np.clip(samples, begin, max(stretch.end, begin)))
        return total

    def _cycles(self, stretch: Stretch, begin: float, until: Values) -> Values:
        rate, first = self.time.sample_rate, float(stretch.first or 0.0)
        if stretch.is_still and first in self.notes:
            tempos, note = self.time.tempos, float(self.notes[first].whole_notes)
            passed = tempos.whole_notes_at_many(until / rate)
            cycles: Values = (passed - tempos.whole_notes_at(begin / rate)) / note
        elif stretch.is_still:
            cycles = self._read(first) * (until - begin) / rate
        else:
            slope = (float(stretch.last or 0.0) - first) / (stretch.end - stretch.start) * rate
            from_value = first + slope * (begin - stretch.start) / rate
            cycles = math.exp(from_value) * np.expm1(slope * (until - begin) / rate) / slope
        return cycles

    def integral(self, samples: NDArray[np.int64], of: Callable[[float], float]) -> Values:
        """Return the integral from 1|1 to each of ascending samples of a function of the value, per sample.

        Where the value glides the function is taken as a line between its ends.
        """
        total = np.zeros(len(samples))
        for stretch in self.stretches:
            begin = max(stretch.start, 0.0)
            if stretch.end <= begin:
                continue
            passed = np.clip(samples, begin, stretch.end) - begin
            first = of(self._read(stretch.at(begin)))
            slope = 0.0 if stretch.is_still else (of(self._read(stretch.last)) - first) / (stretch.end - begin)
            total += (first + slope * passed / 2) * passed
        return total

    def scaled(self, factor: float) -> "Curve":
        """Return a curve of the value times a factor; only for values that run straight."""
        stretches = [
            replace(s, first=factor * float(s.first or 0), last=factor * float(s.last or 0)) for s in self.stretches
        ]
        return replace(self, stretches=tuple(stretches))

    def fingerprint(self, start: int, stop: int) -> tuple[object, ...]:
        """Return what the curve depends on between two samples: its stretches there."""
        reach = stop + len(_smoothing_window(self.time.sample_rate))
        return tuple(
            (-math.inf if s.is_still and s.start < start else s.start, math.inf if s.is_still and s.end > reach else s.end,
             s.first, s.last, str(self.notes.get(s.first or 0.0)))
            for s in self.stretches
            if s.end > start and s.start < reach
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Run:
    """Samples from `start` to `stop` over which values go from those of `first` to those of `last`.

    A run that moves lies in one cell, and its values are those at the cell's two ends, whatever part of the
    cell it is: the ends of blocks change no bit.
    """

    start: int
    stop: int
    first: tuple[float, ...]
    last: tuple[float, ...]

    @property
    def is_still(self) -> bool:
        """Whether nothing moves in it."""
        return self.first == self.last

    def parts(self) -> Values:
        """Return how far along its cell each sample is, 0 to 1."""
        return (np.arange(self.start, self.stop) % CELL) / CELL


def runs(start: int, stop: int, curves: Sequence[Curve]) -> Iterator[Run]:
    """Yield what holds, or moves, between two samples, for values that are not read at every sample."""
    while start < stop:
        cell = start // CELL * CELL
        still_until = min((curve.still_until(cell) for curve in curves), default=math.inf)
        first = tuple(curve.at(cell) for curve in curves)
        if still_until >= cell + CELL:
            end, last = stop if math.isinf(still_until) else min(int(still_until) // CELL * CELL, stop), first
        else:
            end, last = min(cell + CELL, stop), tuple(curve.at(cell + CELL) for curve in curves)
        yield Run(start, end, first, last)
        start = end


@njit(nogil=True, cache=True)
def _average_span(drawn: Values, window: Values, out: Values) -> None:
    """Average over a window ahead; one weight after another, so that neighbours are worked out side by side."""
    out[:] = 0.0
    for k in range(window.shape[0]):
        weight, ahead = window[k], drawn[k : k + out.shape[0]]
        for n in range(out.shape[0]):
            out[n] += weight * ahead[n]


@njit("void(float64[::1], float64[::1], float64[::1])", nogil=True, cache=True)
def _average_ahead(drawn: Values, window: Values, out: Values) -> None:
    """Average over a window ahead; where nothing changes the value is taken as it is."""
    width, frames = window.shape[0], out.shape[0]
    same = 1  # how many values from here on are equal
    end = frames  # of the values that are still to be averaged
    for n in range(drawn.shape[0] - 2, -1, -1):
        same = same + 1 if drawn[n] == drawn[n + 1] else 1
        if n >= frames:
            continue
        is_still = same >= width
        if is_still or end - n > _SPAN:
            _average_span(drawn[n + 1 : end + width], window, out[n + 1 : end])
            end = n + 1
        if is_still:
            out[n] = drawn[n]
            end = n
    _average_span(drawn[: end + width], window, out[:end])


@lru_cache(maxsize=8)
def _smoothing_window(sample_rate: int) -> Values:
    width = round(_SMOOTHING_S * sample_rate)
    window = 1 - np.cos(2 * np.pi * (np.arange(width) + 0.5) / width)
    scaled: Values = window / window.sum()
    return scaled


def gain_of_db(level_db: float | None) -> float:
    """Return the linear factor of a level; None is silence."""
    return 0.0 if level_db is None else float(10.0 ** (level_db / 20))


def raised_cosine(parts: Values) -> Values:
    """Return a smooth rise from 0 to 1 for how far along it each value is; 0 before and 1 after."""
    rising: Values = 0.5 - 0.5 * np.cos(np.pi * np.clip(parts, 0, 1))
    return rising
