"""Two delay lines that feed themselves and each other: what echoes and flangers are made of.

y_s = F(line_s(t - D_s)); line_s = in_s + feedback ((1 - cross) y_s + cross y_other). F are a first-order low
cut and high cut, then a saturation tanh(k y) / k whose gain never exceeds 1. With |feedback| < 1 no part
of the loop has a gain over 1, so it is stable for every allowed value.
"""

import math

import numpy as np
from numba import njit

from highhall.effects.delay import LAGRANGE, POINTS, POINTS_AHEAD, read_between
from highhall.effects.denormals import flush_denormals, restore_denormals
from highhall.effects.signals import Coefficients, Signal, WholeNumbers
from highhall.effects.tone.filters import HIGHEST_SHARE, sections_of
from highhall.effects.vectors import side_of, sides
from highhall.plan.model import Filter

_SLIDE = 32768

_SIGNATURE = (
    "void(float32[:,::1], float32[:,::1], float32[:,::1], int64[::1], float64[:,:,::1], float32[:,::1], boolean, boolean, int64,"
    "float32[::1], float32[::1], float64[::1], float64, float64[:,::1], float32[::1], float64[::1])"
)


@njit(nogil=True, cache=True, fastmath={"contract"})
def _shape(y: Signal, cuts: Coefficients, drive: float, state: Coefficients) -> None:
    """Run both cuts and the saturation over (2, frames) in place, both sides at once."""
    b0, b1, a1, d0, d1, c1 = cuts[0], cuts[1], cuts[2], cuts[3], cuts[4], cuts[5]
    low, high = sides(state[0, 0], state[1, 0]), sides(state[0, 1], state[1, 1])
    for n in range(y.shape[1]):
        x = sides(y[0, n], y[1, n])
        v = b0 * x + low
        low = b1 * x - a1 * v
        w = d0 * v + high
        high = d1 * v - c1 * w
        y[0, n], y[1, n] = side_of(w, 0), side_of(w, 1)
        if drive > 0:
            y[0, n] = math.tanh(drive * side_of(w, 0)) / drive
            y[1, n] = math.tanh(drive * side_of(w, 1)) / drive
    for side in range(2):
        state[side, 0], state[side, 1] = side_of(low, side), side_of(high, side)


@njit(nogil=True, cache=True, fastmath={"contract"})
def _add(y: Signal, share: Signal, heard: Signal) -> None:
    for n in range(y.shape[0]):
        y[n] += share[n] * heard[n]


@njit(nogil=True, cache=True, fastmath={"contract"})
def _feed(line: Signal, source: Signal, own: Signal, other: Signal, feedback: Signal, cross: Signal) -> None:
    for n in range(line.shape[0]):
        line[n] = source[n] + feedback[n] * (own[n] + cross[n] * (other[n] - own[n]))


@njit(_SIGNATURE, nogil=True, cache=True, fastmath={"contract"})
def _run_loop(
    source: Signal, out: Signal, line: Signal, cursor: WholeNumbers, delays: Coefficients, shares: Signal,
    is_whole: bool,  # noqa: FBT001
    is_shaped: bool,  # noqa: FBT001
    reach: int, feedback: Signal, cross: Signal, cuts: Coefficients, drive: float, state: Coefficients, heard: Signal,
    scales: Coefficients,
) -> None:  # fmt: skip
    """Run the loop over (2, frames); `out` is y.

    line (2, size): the past up to cursor[0]. delays (readings, 2, frames) in samples with shares (readings, frames); if
    `is_whole` one reading, (1, 2, 1), of a whole number. reach: samples that can be read before anything that is
    written meanwhile. feedback, cross (frames,). cuts, used if `is_shaped`: b0, b1, a1 of the low cut, then of the
    high cut. state (2, 2). heard (reach,): scratch.
    """
    old = flush_denormals()
    frames = source.shape[1]
    readings = delays.shape[0]
    done = 0
    while done < frames:
        count = min(reach, frames - done)
        at = cursor[0]
        for side in range(2):
            y = out[side, done : done + count]
            if is_whole:
                start = at - int(delays[0, side, 0])
                y[:] = line[side, start : start + count]
            else:
                y[:] = np.float32(0)
                for reading in range(readings):
                    read_between(line[side], heard, at, delays[reading, side, done : done + count], scales)
                    _add(y, shares[reading, done : done + count], heard)
        if is_shaped:
            _shape(out[:, done : done + count], cuts, drive, state)
        here = slice(done, done + count)
        for side in range(2):
            own, other = out[side, here], out[1 - side, here]
            _feed(line[side, at : at + count], source[side, here], own, other, feedback[here], cross[here])
        cursor[0] = at + count
        done += count
    restore_denormals(old)


PASS_CUT = (1.0, 0.0, 0.0)
NO_CUTS = (*PASS_CUT, *PASS_CUT)


def first_order_cut(shape: str, hz: float, sample_rate: int) -> tuple[float, float, float]:
    """Return b0, b1, a1 of a first-order Butterworth `low_cut` or `high_cut`; none above 0.49 of the rate."""
    filter_ = Filter(shape=shape, hz=min(hz, HIGHEST_SHARE * sample_rate), slope_db_oct=6)
    b0, b1, _, a1, _ = sections_of([filter_], sample_rate)[0]
    return b0, b1, a1


def repeats_until(feedback: float, level_db: float) -> int:
    """Return how many repeats lie at or over a level, the first being at 0 dB."""
    return 1 + math.floor(level_db / (20 * math.log10(feedback)) + 1e-9) if 0 < feedback < 1 else 1


def feedback_for_repeats(repeats: int, level_db: float) -> float:
    """Return a feedback with which so many repeats lie at or over a level: the level falls half way to the next."""
    return 0.0 if repeats <= 1 else float(10 ** (level_db / 20 / (repeats - 0.5)))


class FeedbackLine:
    """The loop with its state, for delays from `shortest` to `longest` samples."""

    def __init__(self, shortest: float, longest: float) -> None:
        self._history = math.ceil(longest) + POINTS
        self._reach = max(math.floor(shortest) - POINTS_AHEAD, 1)
        self._line = np.zeros((2, self._history + _SLIDE), np.float32)
        self._cursor = np.array([self._history], np.int64)
        self._state = np.zeros((2, 2))

    def process(
        self,
        source: Signal,
        delays: Coefficients,
        shares: Signal,
        feedback: Signal,
        cross: Signal,
        *,
        cuts: tuple[float, ...] = NO_CUTS,
        drive: float = 0.0,
        is_whole: bool = False,
    ) -> Signal:
        """Return y for the source, both (2, frames); the rest as `_run_loop` says."""
        out = np.empty_like(source)
        is_shaped = drive > 0 or cuts != NO_CUTS
        for start in range(0, source.shape[1], _SLIDE):
            here = slice(start, min(start + _SLIDE, source.shape[1]))
            count = here.stop - here.start
            if self._cursor[0] + count > self._line.shape[1]:
                at = int(self._cursor[0])
                self._line[:, : self._history] = self._line[:, at - self._history : at].copy()
                self._cursor[0] = self._history
            part = np.empty((2, count), np.float32)
            _run_loop(
                np.ascontiguousarray(source[:, here]), part, self._line, self._cursor,
                delays if is_whole else np.ascontiguousarray(delays[:, :, here]), np.ascontiguousarray(shares[:, here]), is_whole, is_shaped, self._reach,
                np.ascontiguousarray(feedback[here]), np.ascontiguousarray(cross[here]), np.array(cuts, np.float64), drive,
                self._state, np.empty(min(self._reach, count) + 1, np.float32), LAGRANGE,
            )  # fmt: skip
            out[:, here] = part
        return out
