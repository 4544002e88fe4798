"""Four times the sample rate and back, by two half-band filters of all-passes.

Each is elliptic: H(z) = (A0(z^2) + z^-1 A1(z^2)) / 2 with A of first-order all-passes, so it costs little and
delays by a few samples only. Stop bands lie 80 dB down from 0.546 of the lower rate's half on (first stage).

References
----------
R. A. Valenzuela, A. G. Constantinides, "Digital signal processing schemes for efficient interpolation and
decimation", IEE Proceedings G 130(6), 1983.
"""

from functools import lru_cache

import numpy as np
from numba import njit
from scipy import optimize
from scipy import signal as scipy_signal

from highhall.effects.signals import Coefficients

_STOP_DB = 80.0
_ORDERS = (17, 7)
"""Orders of the half-bands: between the sample rate and its double, and between that and four times it."""


@lru_cache(maxsize=1)
def half_bands() -> tuple[Coefficients, Coefficients]:
    """Return the all-pass coefficients of both stages: those of A0 and A1 in turn, ascending."""
    first, second = (_half_band(order) for order in _ORDERS)
    return first, second


def _half_band(order: int) -> Coefficients:
    """Return the coefficients of an elliptic half-band of an odd order.

    Pass and stop band mirror each other when |H|^2 is 1/2 in their middle; then all poles are imaginary, and
    their squared magnitudes are the coefficients.
    """
    ripple_db = -10 * np.log10(1 - 10 ** (-_STOP_DB / 10))

    def off_middle(edge: float) -> float:
        b, a = scipy_signal.ellip(order, ripple_db, _STOP_DB, edge)
        return float(np.abs(np.polyval(b, 1j) / np.polyval(a, 1j)) ** 2 - 0.5)

    edge = optimize.brentq(off_middle, 0.2, 0.4999)
    poles = scipy_signal.ellip(order, ripple_db, _STOP_DB, edge, output="zpk")[1]
    squares = np.sort(np.abs(poles[poles.imag > 1e-6]) ** 2)
    return np.ascontiguousarray(squares)


@njit(nogil=True, inline="always")
def all_pass_pair(x0: float, x1: float, coefficients: Coefficients, state: Coefficients) -> tuple[float, float]:
    """Run x0 through the even and x1 through the odd all-passes; state (2, coefficients): inputs, outputs."""
    for index in range(coefficients.shape[0]):
        a = coefficients[index]
        if index % 2 == 0:
            y = a * (x0 - state[1, index]) + state[0, index]
            state[0, index], state[1, index] = x0, y
            x0 = y
        else:
            y = a * (x1 - state[1, index]) + state[0, index]
            state[0, index], state[1, index] = x1, y
            x1 = y
    return x0, x1
