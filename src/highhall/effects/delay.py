"""Delays: reading the past between samples, times of a song, and the pre-delay.

A time that never changes in the song is rounded to whole samples. Any other is read between samples
throughout, at y(T(q)) = x(T(q - note)), by 8-point Lagrange interpolation (error below -60 dB up to an
eighth of the sample rate).
"""

import math

import numpy as np
from numba import njit

from highhall.curves import CELL, Switched
from highhall.effects.signals import Coefficients, Signal, WholeNumbers
from highhall.effects.vectors import COUNT, Vector, load, store
from highhall.timing import NoteValue, SongTime, TimeValue

POINTS_AHEAD = 4
"""Samples that interpolation reads after the place itself; a delay read in a loop has to be longer."""
POINTS = 8
"""Samples that interpolation reads together."""


@njit(nogil=True, inline="always")
def between_points(d0: float | Vector, scales: Coefficients) -> tuple[float | Vector, ...]:
    """Return the weights of 8 points for a place, or several, that lies d0 after the first."""
    d1, d2, d3, d4, d5, d6, d7 = d0 - 1, d0 - 2, d0 - 3, d0 - 4, d0 - 5, d0 - 6, d0 - 7
    low, high = (d0 * d1), (d2 * d3)
    four, five = (d4 * d5), (d6 * d7)
    front, back = low * high, four * five
    return (
        d1 * high * back * scales[0], d0 * high * back * scales[1],
        low * d3 * back * scales[2], low * d2 * back * scales[3],
        front * d5 * five * scales[4], front * d4 * five * scales[5],
        front * four * d7 * scales[6], front * four * d6 * scales[7],
    )  # fmt: skip


@njit(nogil=True, cache=True, fastmath={"contract"})
def between_eight(line: Signal, at: int, fractions: Vector, scales: Coefficients) -> Vector:
    """Return 16 frames, one sample on each, read from a line (length,) at the places at + 4 - fractions."""
    w0, w1, w2, w3, w4, w5, w6, w7 = between_points(np.float32(4) - fractions, scales)
    return ((w0 * load(line, at) + w1 * load(line, at + 1)) + (w2 * load(line, at + 2) + w3 * load(line, at + 3))) + (
        (w4 * load(line, at + 4) + w5 * load(line, at + 5)) + (w6 * load(line, at + 6) + w7 * load(line, at + 7))
    )


@njit(
    "void(float32[::1], float32[::1], float64[::1], float64, float64[::1])",
    nogil=True, cache=True, fastmath={"contract"},
)  # fmt: skip
def _read_run(line: Signal, out: Signal, delays: Coefficients, whole: float, scales: Coefficients) -> None:
    """Read `line` one sample on for each frame, where the delays lie between `whole` and the next number."""
    for n in range(out.shape[0]):
        w0, w1, w2, w3, w4, w5, w6, w7 = between_points(4 - (delays[n] - whole), scales)
        out[n] = ((w0 * line[n] + w1 * line[n + 1]) + (w2 * line[n + 2] + w3 * line[n + 3])) + (
            (w4 * line[n + 4] + w5 * line[n + 5]) + (w6 * line[n + 6] + w7 * line[n + 7])
        )


@njit("void(float32[::1], float32[::1], float64, float64[::1])", nogil=True, cache=True, fastmath={"contract"})
def _read_still(line: Signal, out: Signal, part: float, scales: Coefficients) -> None:
    """Do what `_read_run` does where all delays are the same, `part` beyond a whole number."""
    w0, w1, w2, w3, w4, w5, w6, w7 = between_points(4 - part, scales)
    for n in range(out.shape[0]):
        out[n] = ((w0 * line[n] + w1 * line[n + 1]) + (w2 * line[n + 2] + w3 * line[n + 3])) + (
            (w4 * line[n + 4] + w5 * line[n + 5]) + (w6 * line[n + 6] + w7 * line[n + 7])
        )


@njit("void(float32[::1], float32[::1], int64, float64[::1], float64[::1])", nogil=True, cache=True)
def read_between(source: Signal, out: Signal, at: int, delays: Coefficients, scales: Coefficients) -> None:
    """Read one side, (length,), into (frames,) at the places at + n - delays[n], 4 <= place < length - 3.

    The fraction comes from the delay alone, so that it is the same wherever the block starts. The Lagrange weight
    of point i is scales[i] times the product of all d_j = place - point j, j not i; the products are shared in
    pairs and fours.
    """
    frames = delays.shape[0]
    n = 0
    while n < frames:  # a run keeps one whole number of samples, so its places lie side by side
        whole = math.floor(delays[n])
        still = n + 1
        while still < frames and delays[still] == delays[n]:
            still += 1
        end = still
        while end < frames and whole <= delays[end] < whole + 1:
            end += 1
        line = source[at + n - whole - 4 : at + end - whole + 3]
        if still == end:
            _read_still(line, out[n:end], delays[n] - whole, scales)
        else:
            _read_run(line, out[n:end], delays[n:end], whole, scales)
        n = end


@njit(nogil=True, inline="always")
def _weigh(delay: float, n: int, scales: Coefficients, weights: Coefficients, wholes: WholeNumbers) -> None:
    """Write the weights of 8 points for the n-th of some delays, (8, delays), and its whole part; they can be worked out side by side."""
    whole = np.floor(delay)
    wholes[n] = np.int64(whole)
    (
        weights[0, n], weights[1, n], weights[2, n], weights[3, n],
        weights[4, n], weights[5, n], weights[6, n], weights[7, n],
    ) = between_points(4 - (delay - whole), scales)  # fmt: skip


@njit(nogil=True, cache=True, fastmath={"contract"})
def _weighed(line: Signal, place: int, w: Coefficients, n: int) -> np.float32:
    """Return 8 samples from a place on, by the n-th weights."""
    at = np.uintp(place)  # which never counts from the end
    return np.float32(
        (
            (w[0, n] * line[at] + w[1, n] * line[at + np.uintp(1)])
            + (w[2, n] * line[at + np.uintp(2)] + w[3, n] * line[at + np.uintp(3)])
        )
        + (
            (w[4, n] * line[at + np.uintp(4)] + w[5, n] * line[at + np.uintp(5)])
            + (w[6, n] * line[at + np.uintp(6)] + w[7, n] * line[at + np.uintp(7)])
        )
    )


@njit(nogil=True, cache=True, fastmath={"contract"})
def read_moving(source: Signal, out: Signal, at: int, delays: Coefficients, scales: Coefficients) -> None:
    """Do what `read_between` does for places that move by whole samples a frame, so that no run is longer than one."""
    weights, wholes = np.empty((POINTS, CELL)), np.empty(CELL, np.int64)
    for first in range(0, delays.shape[0], CELL):
        count = min(CELL, delays.shape[0] - first)
        for n in range(count):
            _weigh(delays[first + n], n, scales, weights, wholes)
        for n in range(count):
            out[first + n] = _weighed(source, at + first + n - wholes[n] - 4, weights, n)


LAGRANGE = np.array([1 / math.prod(i - j for j in range(POINTS) if j != i) for i in range(POINTS)])
"""The `scales` of `read_between`."""


GLIDING_REACH = 4
GLIDING_SLACK = 2 * COUNT
"""How much longer than what is asked for a line, and what it is read into, have to be: sixteen frames are read at a time."""

CELL_STEPS = np.arange(CELL + COUNT).astype(np.float32)


_OUTER = np.float32(math.sqrt(120 / 288))
_MIDDLE, _INNER = 1 / (12 * _OUTER), 1 / (24 * _OUTER)
"""Factors of the products of pairs, so that two of these together have the 1 / 120, 1 / 24 or 1 / 12 of Lagrange's weights."""


@njit(nogil=True, cache=True, fastmath={"contract"})
def _between_six(f: Vector, x0: Vector, x1: Vector, x2: Vector, x3: Vector, x4: Vector, x5: Vector) -> Vector:
    """Return the 6-point Lagrange interpolation at a fraction of the way from x3 to x2, of numbers or of lanes.

    Points lie in pairs about the middle, t from it: the products of their distances are t^2 less 25, 9 and 1 fourths, and the
    weight of a point is its partner's distance times the products of the other two pairs.
    """
    t = f - np.float32(0.5)
    square = t * t
    outer = _OUTER * square - _OUTER * np.float32(6.25)
    middle = _MIDDLE * square - _MIDDLE * np.float32(2.25)
    inner = _INNER * square - _INNER * np.float32(0.25)
    return (
        middle * inner * ((t + np.float32(2.5)) * x0 - (t - np.float32(2.5)) * x5)
        - outer * inner * ((t + np.float32(1.5)) * x1 - (t - np.float32(1.5)) * x4)
        + outer * middle * ((t + np.float32(0.5)) * x2 - (t - np.float32(0.5)) * x3)
    )


@njit(nogil=True, cache=True, fastmath={"contract"})
def _read_six(
    line: Signal,
    read: int,
    out: Signal,
    at: int,
    steps: Signal,
    step: int,
    start: np.float32,
    slope: np.float32,
    count: int,
) -> None:
    """Read a line from `read` on at fractions start + slope * steps of a sample; what is written beyond `count` means nothing."""
    for n in range(0, count, COUNT):
        at_once = _between_six(
            start + load(steps, step + n) * slope,
            load(line, read + n), load(line, read + n + 1), load(line, read + n + 2),
            load(line, read + n + 3), load(line, read + n + 4), load(line, read + n + 5),
        )  # fmt: skip
        store(out, at + n, at_once)


@njit(nogil=True, cache=True, fastmath={"contract"})
def read_gliding(
    line: Signal, write: int, out: Signal, at: int, frames: int, first: int, delays: Coefficients, first_cell: int, steps: Signal
) -> None:  # fmt: skip
    """Read a line, late by delays that go on lines from cell edge to cell edge, into `frames` samples of `out` from `at` on.

    write: where in the line the first frame would be written; first: its absolute sample. delays: in samples at the
    edges of cells from `first_cell` on, none below GLIDING_REACH. steps: CELL_STEPS.
    """
    n = 0
    while n < frames:
        cell = (first + n) // CELL
        offset = first + n - cell * CELL
        end = min(offset + frames - n, CELL)
        delay = delays[cell - first_cell]
        slope = (delays[cell - first_cell + 1] - delay) / CELL
        step = offset
        while step < end:  # a run keeps one whole number of samples
            whole = math.floor(delay + slope * step)
            stop = end
            if slope > 0:
                stop = math.ceil((whole + 1 - delay) / slope)
            elif slope < 0:
                stop = math.floor((whole - delay) / slope) + 1
            stop = min(max(stop, step + 1), end)
            count = stop - step
            frame = n + step - offset
            read = write + frame - whole - 3
            _read_six(line, read, out, at + frame, steps, step, np.float32(delay - whole), np.float32(slope), count)
            step = stop
        n += end - offset


def cell_edges(start: int, stop: int) -> WholeNumbers:
    """Return the edges of all cells that samples from `start` to `stop` lie in."""
    return np.arange(start // CELL, -(-stop // CELL) + 1) * CELL


class DelayLine:
    """The past of a stereo signal, `longest` samples of it."""

    def __init__(self, longest: float) -> None:
        self._past = np.zeros((2, math.ceil(longest) + POINTS), np.float32)
        self._known = self._past
        self._frames = 0

    def take(self, block: Signal) -> None:
        """Take the next block, (2, frames); what is read then belongs to it."""
        past = self._past.shape[1]
        self._frames = block.shape[1]
        self._known = np.concatenate([self._past, block, np.zeros((2, GLIDING_SLACK), np.float32)], axis=1)
        self._past = self._known[:, self._frames : self._frames + past].copy()

    def known(self, side: int) -> tuple[Signal, int]:
        """Return one side as far as it is known, (length,), to be read only, and where in it the block begins."""
        return self._known[side], self._past.shape[1]

    def read(self, side: int, delay: int | Coefficients) -> Signal:
        """Return one side, (frames,), `delay` samples late: a whole number, or a place for each frame."""
        past = self._past.shape[1]
        if isinstance(delay, int):
            return self._known[side, past - delay : past - delay + self._frames]
        out = np.empty(self._frames, np.float32)
        read_between(self._known[side], out, past, delay, LAGRANGE)
        return out

    def read_gliding(self, side: int, start_sample: int, delays: Coefficients) -> Signal:
        """Return one side, (frames,), late by delays that go on lines between the edges of `cell_edges`."""
        out = np.empty(self._frames + GLIDING_SLACK, np.float32)
        past = self._past.shape[1]
        read_gliding(
            self._known[side], past, out, 0, self._frames, start_sample, delays, start_sample // CELL, CELL_STEPS
        )
        return out[: self._frames]


class SongDelay:
    """A time of a song, which may change and follows the tempo, as delays in samples."""

    def __init__(self, times: Switched[TimeValue], song_time: SongTime) -> None:
        self._times, self._time = times, song_time
        is_still = song_time.tempos.is_constant or not isinstance(times.constant, NoteValue)
        self.is_whole = times.constant is not None and is_still
        self.longest_s = max(self._seconds_at_most(value) for value in times.values)
        self.shortest_s = min(self._seconds_at_least(value) for value in times.values)

    def _seconds_at_most(self, value: TimeValue) -> float:
        return float(value.whole_notes) / self._time.tempos.slowest if isinstance(value, NoteValue) else value.seconds

    def _seconds_at_least(self, value: TimeValue) -> float:
        return float(value.whole_notes) / self._time.tempos.fastest if isinstance(value, NoteValue) else value.seconds

    @property
    def samples(self) -> int:
        """The delay in whole samples, if `is_whole`."""
        return round(self.longest_s * self._time.sample_rate)

    def readings(self, start: int, stop: int) -> list[tuple[Coefficients, Coefficients | None]]:
        """Return the delays in samples, (frames,), that are heard, each with its share or None for all of it."""
        return [(self._delays(value, start, stop), share) for value, share in self._times.shares(start, stop).items()]

    def _delays(self, value: TimeValue, start: int, stop: int) -> Coefficients:
        rate = self._time.sample_rate
        if not isinstance(value, NoteValue):
            return np.full(stop - start, value.seconds * rate)
        note = float(value.whole_notes)
        delays, done = np.empty(stop - start), start

        def follow(first: int, last: int) -> None:
            now = np.arange(first, last) / rate
            delays[first - start : last - start] = (now - self._time.tempos.seconds_before(now, note)) * rate

        for from_s, to_s, lag_s in self._time.tempos.steady_lags(note):
            first, last = (math.ceil(min(max(edge * rate, done), stop)) for edge in (from_s, to_s))
            if first < last:
                follow(done, first)
                delays[first - start : last - start] = lag_s * rate
                done = last
        follow(done, stop)
        return delays


class PreDelay:
    """Delays stereo audio by a time of a song."""

    def __init__(self, times: Switched[TimeValue], song_time: SongTime) -> None:
        self._delay = SongDelay(times, song_time)
        self.longest_s = self._delay.longest_s
        self._line = DelayLine(self.longest_s * song_time.sample_rate)

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the delayed block, (2, frames)."""
        if self._delay.is_whole and self._delay.samples == 0:
            return block
        self._line.take(block)
        if self._delay.is_whole:
            return np.stack([self._line.read(side, self._delay.samples) for side in (0, 1)])
        out = np.zeros_like(block)
        for delays, share in self._delay.readings(start_sample, start_sample + block.shape[1]):
            for side in (0, 1):
                heard = self._line.read(side, delays)
                out[side] += heard if share is None else heard * share
        return out
