"""Four times the sample rate and back, by two half-band filters of all-passes.

Each is elliptic: H(z) = (A0(z^2) + z^-1 A1(z^2)) / 2 with A of first-order all-passes, so it costs little and
delays by a few samples only. Stop bands lie 80 dB down from 0.546 of the lower rate's half on (first stage).

Both branches of both sides run side by side in the lanes of a vector, A0 before A1. What one all-pass gave last is what the
next one got last, so a row of them keeps one number more than it has all-passes.

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

from highhall.effects.denormals import flush_denormals, restore_denormals
from highhall.effects.signals import Coefficients, Signal
from highhall.effects.vectors import (
    Vector,
    both_branches,
    branch,
    first_twice,
    load_branches,
    second_twice,
    store_branches,
    swapped,
    woven,
)

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


STATE = 32
"""How many numbers the way up, and the way down, keep from block to block."""


def lane_taps() -> Coefficients:
    """Return the coefficients by lane, (24,): four sections of the first stage, two of the second, of which the last is in A0 alone."""
    first, second = half_bands()
    pairs = np.concatenate([first, second, [0.0]]).reshape(-1, 2)
    return np.tile(pairs, 2).ravel()


@njit(nogil=True, cache=True, fastmath={"contract"})
def _all_pass(x: Vector, tap: Vector, x_before: Vector, y_before: Vector) -> Vector:
    return tap * (x - y_before) + x_before


@njit(nogil=True, cache=True)
def _loaded(array: Coefficients) -> tuple[Vector, ...]:
    """Return 24 numbers as six vectors."""
    return (
        load_branches(array, 0), load_branches(array, 4), load_branches(array, 8),
        load_branches(array, 12), load_branches(array, 16), load_branches(array, 20),
    )  # fmt: skip


@njit(nogil=True, cache=True)
def _keep(state: Coefficients, p: tuple[Vector, ...], q: tuple[Vector, ...]) -> None:
    for index in range(5):
        store_branches(state, 4 * index, p[index])
    for index in range(3):
        store_branches(state, 20 + 4 * index, q[index])


@njit(nogil=True, cache=True)
def _kept(state: Coefficients) -> tuple[tuple[Vector, ...], tuple[Vector, ...]]:
    """Return what a row of four all-passes heard and gave last, and what a row of two did."""
    p0, p1, p2, p3, p4, q0 = _loaded(state)
    return (p0, p1, p2, p3, p4), (q0, load_branches(state, 24), load_branches(state, 28))


@njit(nogil=True, cache=True, fastmath={"contract"})
def _first_stage(x: Vector, taps: tuple[Vector, ...], before: tuple[Vector, ...]) -> tuple[Vector, ...]:
    """Return what the four all-passes between the sample rate and its double hear and give, one after another."""
    x1 = _all_pass(x, taps[0], before[0], before[1])
    x2 = _all_pass(x1, taps[1], before[1], before[2])
    x3 = _all_pass(x2, taps[2], before[2], before[3])
    return x, x1, x2, x3, _all_pass(x3, taps[3], before[3], before[4])


@njit(nogil=True, cache=True, fastmath={"contract"})
def _second_stage(y: Vector, taps: tuple[Vector, ...], before: tuple[Vector, ...]) -> tuple[Vector, ...]:
    """Return the same of those between there and four times the rate: two in A0, one in A1."""
    y1 = _all_pass(y, taps[4], before[0], before[1])
    return y, y1, woven(_all_pass(y1, taps[5], before[1], before[2]), y1)


@njit(nogil=True, cache=True, fastmath={"contract"})
def _both(lanes: Vector) -> Vector:
    return 0.5 * (lanes + swapped(lanes))


_SIGNATURE = "void({}, {}, float64[::1], float64[::1])"


@njit(_SIGNATURE.format("float32[:,::1]", "float64[::1]"), nogil=True, cache=True, fastmath={"contract"})
def up_four_times(source: Signal, out: Coefficients, taps: Coefficients, state: Coefficients) -> None:
    """Write (2, frames) at four times the rate, (8 * frames,): of each frame left, left, right, right, twice. state (STATE,)."""
    old = flush_denormals()
    t = _loaded(taps)
    p, q = _kept(state)
    for n in range(source.shape[1]):
        p = _first_stage(both_branches(np.float64(source[0, n]), np.float64(source[1, n])), t, p)
        q = _second_stage(first_twice(p[4]), t, q)
        store_branches(out, 8 * n, q[2])
        q = _second_stage(second_twice(p[4]), t, q)
        store_branches(out, 8 * n + 4, q[2])
    _keep(state, p, q)
    restore_denormals(old)


@njit(_SIGNATURE.format("float64[::1]", "float32[:,::1]"), nogil=True, cache=True, fastmath={"contract"})
def down_four_times(source: Coefficients, out: Signal, taps: Coefficients, state: Coefficients) -> None:
    """Write what `up_four_times` has made, (8 * frames,), at the rate that it came from, (2, frames). state (STATE,)."""
    old = flush_denormals()
    t = _loaded(taps)
    p, q = _kept(state)
    for n in range(out.shape[1]):
        q = _second_stage(swapped(load_branches(source, 8 * n)), t, q)  # A1 hears the sample before
        first = _both(q[2])
        q = _second_stage(swapped(load_branches(source, 8 * n + 4)), t, q)
        p = _first_stage(woven(_both(q[2]), first), t, p)
        heard = _both(p[4])
        out[0, n], out[1, n] = branch(heard, 0), branch(heard, 2)
    _keep(state, p, q)
    restore_denormals(old)
