"""Transposition by two heads that read ever later, or earlier, and take turns.

Half a sweep lies between them; their shares sum to 1, and each is silent when it jumps back.

References
----------
F. F. Lee, "Time compression and expansion of speech by the sampling method", J. Audio Eng. Soc. 20(9), 1972.
"""

import math

import numpy as np
from numba import njit

from highhall.curves import CELL
from highhall.effects.signals import Coefficients, Signal

_SHARE_ORDER = 6
_EVEN = np.polynomial.Chebyshev.interpolate(lambda u: np.cos(np.pi * np.sqrt(u)) ** 2, _SHARE_ORDER, domain=[0, 0.25])
_SHARE: Coefficients = np.array(_EVEN.convert(kind=np.polynomial.Polynomial).coef[::-1], np.float64)
"""cos^2(pi x) for |x| <= 1/2 as a polynomial in x^2, highest power first; right to 1e-8."""


@njit("void(float64[::1], int64, float64, float64[::1], float64[:,::1], float32[:,::1])", nogil=True, cache=True)
def _run_heads(
    turns: Coefficients, first: int, sweep: float, share: Coefficients, delays: Coefficients, shares: Signal
) -> None:
    """Fill delays and shares, (2, frames); `turns` at the edges of cells, of which the first begins `first` frames before."""
    frames = delays.shape[1]
    n = 0
    while n < frames:
        cell = (first + n) // CELL
        offset = first + n - cell * CELL
        end = min(n + CELL - offset, frames)
        slope = (turns[cell + 1] - turns[cell]) / CELL
        begin = turns[cell] + slope * offset
        for frame in range(n, end):
            turn = begin + slope * (frame - n)
            part = turn - math.floor(turn) - 0.5
            other = part + 0.5 if part < 0 else part - 0.5
            delays[0, frame] = sweep * part
            delays[1, frame] = sweep * other
            square = part * part
            value = share[0]
            for power in range(1, _SHARE_ORDER + 1):
                value = value * square + share[power]
            shares[0, frame] = value
            shares[1, frame] = 1 - value
        n = end


def two_heads(turns: Coefficients, start: int, stop: int, sweep: float) -> tuple[Coefficients, Signal]:
    """Return the heads' delays about their middle and their shares, (2, frames), between two samples.

    turns: how many sweeps have passed at the edges of the cells between them, as `cell_edges` says; between edges they
    go on lines.
    """
    delays, shares = np.empty((2, stop - start)), np.empty((2, stop - start), np.float32)
    _run_heads(turns, start % CELL, sweep, _SHARE, delays, shares)
    return delays, shares
