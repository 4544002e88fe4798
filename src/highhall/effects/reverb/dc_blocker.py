"""The high-pass before the loop, sixteen frames at a time.

A first-order low cut b0 (1 - z^-1) / (1 - r z^-1) gives y[n] = b0 x[n] + s[n], s[n + 1] = r s[n] + c x[n]. A recursion waits for the
frame before; but the sum of what sixteen frames add to s, each r^age of it, takes four steps of doubling, and only the one
number that is carried on waits.

References
----------
G. E. Blelloch, "Prefix sums and their applications", CMU-CS-90-190, 1990.
"""

import numpy as np
from numba import njit

from highhall.effects.signals import Signal
from highhall.effects.tone.filters import sections_of
from highhall.effects.vectors import COUNT, Vector, eight_later, four_later, last_of, load, one_later, store, two_later
from highhall.plan.model import Filter

_DC_BLOCKER = Filter(shape="low_cut", hz=10.0, slope_db_oct=6)
_POWERS = 2


def dc_blocker_section(sample_rate: int) -> tuple[float, float, float]:
    """Return b0, b1 and a1 of the low cut."""
    b0, b1, _, a1, _ = sections_of([_DC_BLOCKER], sample_rate)[0]
    return b0, b1, a1


def dc_blocker(sample_rate: int) -> Signal:
    """Return b0, c and the powers of r from 0 to 16, (19,), of `block_dc`."""
    b0, _, a1 = dc_blocker_section(sample_rate)
    return np.array([b0, -b0 - a1 * b0, *(-a1) ** np.arange(COUNT + 1)], np.float32)


@njit(nogil=True, cache=True, fastmath={"contract"})
def _summed(z: Vector, powers: Signal) -> Vector:
    """Return for each lane the sum of all up to it, each times the power of its age."""
    z = z + powers[_POWERS + 1] * one_later(z)
    z = z + powers[_POWERS + 2] * two_later(z)
    z = z + powers[_POWERS + 4] * four_later(z)
    return z + powers[_POWERS + 8] * eight_later(z)


@njit(nogil=True, cache=True, fastmath={"contract"})
def block_dc(
    source: Signal, at: int, out: Signal, apart: int, gain: float, slope: float, steps: Signal, blocker: Signal, state: Signal, count: int
) -> None:  # fmt: skip
    """Take in both sides from frame `at` on, at a gain that goes on a line, through the high-pass; out holds them `apart`.

    source (2, frames), out (2 * apart,): also what is written beyond `count`, which means nothing. steps: 0, 1, 2 ... (16 at least);
    blocker: see `dc_blocker`; state (2,).
    """
    b0, c = blocker[0], blocker[1]
    frames = source.shape[1]
    fading = load(blocker, _POWERS)
    whole = count // COUNT * COUNT
    for side in range(2):
        low = state[side]
        for n in range(0, whole, COUNT):
            level = np.float32(gain + slope * n) + np.float32(slope) * load(steps, 0)
            x = level * load(source, side * frames + at + n)
            z = _summed(c * x, blocker)
            store(out, side * apart + n, b0 * x + (one_later(z) + low * fading))
            low = last_of(z) + blocker[_POWERS + COUNT] * low
        for n in range(whole, count):
            x = np.float32(gain + slope * n) * source[side, at + n]
            out[side * apart + n] = b0 * x + low
            low = blocker[_POWERS + 1] * low + c * x
        state[side] = low
