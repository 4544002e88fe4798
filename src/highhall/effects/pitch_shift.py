"""Transposition by two heads that read ever later, or earlier, and take turns.

Half a sweep lies between them; their shares sum to 1, and each is silent when it jumps back.

References
----------
F. F. Lee, "Time compression and expansion of speech by the sampling method", J. Audio Eng. Soc. 20(9), 1972.
"""

import numpy as np
from numba import njit

from highhall.curves import CELL
from highhall.effects.delay import LAGRANGE, DelayLine, read_between
from highhall.effects.signals import Coefficients, Signal

_AT_ONCE = 2048
_SHARE_ORDER = 6
_EVEN = np.polynomial.Chebyshev.interpolate(lambda u: np.cos(np.pi * np.sqrt(u)) ** 2, _SHARE_ORDER, domain=[0, 0.25])
_SHARE: Coefficients = np.array(_EVEN.convert(kind=np.polynomial.Polynomial).coef[::-1], np.float64)
"""cos^2(pi x) for |x| <= 1/2 as a polynomial in x^2, highest power first; right to 1e-8."""


@njit(
    "void(float64[::1], int64, float64, float64[::1], float64[:,::1], float32[:,::1])",
    nogil=True, cache=True, fastmath={"contract"},
)  # fmt: skip
def _run_heads(
    turns: Coefficients, first: int, sweep: float, share: Coefficients, delays: Coefficients, shares: Signal
) -> None:
    """Fill delays and shares, (2, frames); `turns` at the edges of cells, of which the first begins `first` frames before."""
    frames = delays.shape[1]
    s6, s5, s4, s3, s2, s1, s0 = share[0], share[1], share[2], share[3], share[4], share[5], share[6]
    n = 0
    while n < frames:
        cell = (first + n) // CELL
        offset = first + n - cell * CELL
        end = min(n + CELL - offset, frames)
        begin, slope = turns[cell], (turns[cell + 1] - turns[cell]) / CELL
        one, other = delays[0, n:end], delays[1, n:end]
        share_of_one, share_of_other = shares[0, n:end], shares[1, n:end]
        for frame in range(end - n):
            turn = begin + slope * (offset + frame)
            part = turn - np.floor(turn) - 0.5
            square = part * part
            value = s0 + square * (s1 + square * (s2 + square * (s3 + square * (s4 + square * (s5 + square * s6)))))
            one[frame] = sweep * part
            other[frame] = sweep * (part + 0.5 if part < 0 else part - 0.5)
            share_of_one[frame] = value
            share_of_other[frame] = 1 - value
        n = end


def shifting_heads(turns: Coefficients, start: int, stop: int, sweep: float) -> tuple[Coefficients, Signal]:
    """Return the heads' delays about their middle and their shares, (2, frames), between two samples.

    turns: how many sweeps have passed at the edges of the cells between them, as `cell_edges` says; between edges they
    go on lines.
    """
    delays, shares = np.empty((2, stop - start)), np.empty((2, stop - start), np.float32)
    _run_heads(turns, start % CELL, sweep, _SHARE, delays, shares)
    return delays, shares


@njit("void(float64[::1], float64[::1])", nogil=True, cache=True)
def _move(delays: Coefficients, middles: Coefficients) -> None:
    for frame in range(delays.shape[0]):
        delays[frame] += middles[frame]


@njit("void(float32[::1], float32[::1], float32[::1])", nogil=True, cache=True)
def _add_share(out: Signal, heard: Signal, share: Signal) -> None:
    for frame in range(out.shape[0]):
        out[frame] += heard[frame] * share[frame]


@njit(
    "void(float32[::1], float32[::1], int64, float64[::1], int64, float64, float64[::1], float64[::1], float64[::1])",
    nogil=True, cache=True,
)  # fmt: skip
def _read_heads(
    source: Signal,
    out: Signal,
    at: int,
    turns: Coefficients,
    first: int,
    sweep: float,
    middles: Coefficients,
    share: Coefficients,
    scales: Coefficients,
) -> None:
    """Read one side, (length,), into (frames,) by both heads about `middles`, (frames,), in pieces, so that all in between stays near."""
    heard = np.empty(_AT_ONCE, np.float32)
    out[:] = 0
    for n in range(0, out.shape[0], _AT_ONCE):
        count = min(_AT_ONCE, out.shape[0] - n)
        cell = (first + n) // CELL
        delays, shares = np.empty((2, count)), np.empty((2, count), np.float32)
        _run_heads(turns[cell:], first + n - cell * CELL, sweep, share, delays, shares)
        for head in range(2):
            _move(delays[head], middles[n : n + count])
            read_between(source, heard[:count], at + n, delays[head], scales)
            _add_share(out[n : n + count], heard[:count], shares[head])


def shifted(
    line: DelayLine, side: int, turns: Coefficients, start_sample: int, middles: Coefficients, sweep: float
) -> Signal:
    """Return one side of a line, (frames,), transposed by heads about `middles`, delays in samples, (frames,); turns as `shifting_heads` takes them."""
    samples, at = line.known(side)
    out = np.empty(len(middles), np.float32)
    _read_heads(samples, out, at, turns, start_sample % CELL, sweep, middles, _SHARE, LAGRANGE)
    return out
