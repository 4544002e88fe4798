"""The sine of many places at once: what wanders is asked for it often, and numpy works it out one by one.

By its Taylor series about the nearest of 0 and half a turn, so that no argument is beyond a quarter of a turn; what follows the
last term is below 3e-16.
"""

import math

import numpy as np
from numba import njit

from highhall.effects.signals import Coefficients

_TERMS = np.array([(-1.0) ** n * (2 * math.pi) ** (2 * n + 1) / math.factorial(2 * n + 1) for n in range(11)])


@njit("void(float64[::1], float64[::1], float64[::1])", nogil=True, cache=True, fastmath={"contract"})
def _write_sines(turns: Coefficients, sines: Coefficients, terms: Coefficients) -> None:
    for n in range(turns.shape[0]):
        x = turns[n] - np.floor(turns[n] + 0.5)  # within half a turn
        x = x if abs(x) <= 0.25 else np.copysign(0.5, x) - x
        square = x * x
        total = terms[10]
        total = total * square + terms[9]
        total = total * square + terms[8]
        total = total * square + terms[7]
        total = total * square + terms[6]
        total = total * square + terms[5]
        total = total * square + terms[4]
        total = total * square + terms[3]
        total = total * square + terms[2]
        total = total * square + terms[1]
        sines[n] = (total * square + terms[0]) * x


def sine(turns: Coefficients) -> Coefficients:
    """Return sin(2 pi x) of each x, in the same shape."""
    sines = np.empty_like(turns, order="C")
    _write_sines(np.ascontiguousarray(turns).reshape(-1), sines.reshape(-1), _TERMS)
    return sines
