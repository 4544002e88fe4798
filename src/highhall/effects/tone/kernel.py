"""Second-order sections on stereo audio, four fused in one pass.

Transposed direct form II with float64 coefficients and state (float32 state errs at -75 dB for a 30 Hz
cut). Both sides go side by side in lanes, and fusing keeps four independent recursions in flight, which hides their
latency.
"""

from numba import njit

from highhall.effects.denormals import flush_denormals, restore_denormals
from highhall.effects.signals import Coefficients, Signal
from highhall.effects.vectors import Vector, side_of, sides

FUSED = 4
_SIGNATURE = "void(float32[:,::1], float32[:,::1], float64[:,::1], float64[:,::1])"


_State = tuple[Vector, Vector]


@njit(nogil=True, cache=True)
def coefficients_of(numbers: Coefficients) -> tuple[float, float, float, float, float]:
    """Return the coefficients b0, b1, b2, a1, a2 of a section, (5,), as `section` takes them."""
    return numbers[0], numbers[1], numbers[2], numbers[3], numbers[4]


@njit(nogil=True, cache=True)
def state_of(state: Coefficients) -> _State:
    """Return a section's state, (4,), as `section` takes it."""
    return sides(state[0], state[2]), sides(state[1], state[3])


@njit(nogil=True, cache=True)
def keep(state: Coefficients, now: _State) -> None:
    """Write a section's state back, (4,): left s1, s2, right s1, s2."""
    for side in range(2):
        state[2 * side], state[2 * side + 1] = side_of(now[0], side), side_of(now[1], side)


@njit(nogil=True, cache=True, fastmath={"contract"})
def section(x: Vector, coefficients: tuple[float, float, float, float, float], state: _State) -> tuple[Vector, _State]:
    """Return what a section makes of a frame, and its next state."""
    b0, b1, b2, a1, a2 = coefficients
    y = b0 * x + state[0]
    return y, (b1 * x - a1 * y + state[1], b2 * x - a2 * y)


@njit(_SIGNATURE, nogil=True, cache=True, fastmath={"contract"})
def filter_four(source: Signal, out: Signal, sections: Coefficients, state: Coefficients) -> None:
    """Filter (2, frames) through exactly four sections; `state` is (4, 4): left s1, s2, right s1, s2.

    `out` may be `source`. Pad with pass-through sections (1, 0, 0, 0, 0), which change no bit.
    """
    old = flush_denormals()
    first, second = coefficients_of(sections[0]), coefficients_of(sections[1])
    third, fourth = coefficients_of(sections[2]), coefficients_of(sections[3])
    s1, s2, s3, s4 = state_of(state[0]), state_of(state[1]), state_of(state[2]), state_of(state[3])
    for n in range(source.shape[1]):
        x = sides(source[0, n], source[1, n])
        x, s1 = section(x, first, s1)
        x, s2 = section(x, second, s2)
        x, s3 = section(x, third, s3)
        x, s4 = section(x, fourth, s4)
        out[0, n], out[1, n] = side_of(x, 0), side_of(x, 1)
    keep(state[0], s1)
    keep(state[1], s2)
    keep(state[2], s3)
    keep(state[3], s4)
    restore_denormals(old)


@njit(
    "void(float32[:,::1], float32[:,::1], float64[:,::1], float64[:,::1], float64[::1], float64[:,::1])",
    nogil=True, cache=True, fastmath={"contract"},
)  # fmt: skip
def filter_gliding(
    source: Signal, out: Signal, first: Coefficients, last: Coefficients, parts: Coefficients, state: Coefficients
) -> None:
    """Filter (2, frames) through sections whose coefficients go on a line from `first` to `last`, (sections, 5).

    `parts`, (frames,), is how far along. Stable sections lie in a convex set, so all between two are stable.
    """
    old = flush_denormals()
    for index in range(first.shape[0]):
        f, d = first[index], last[index] - first[index]
        now = state_of(state[index])
        heard = source if index == 0 else out
        for n in range(source.shape[1]):
            part = parts[n]
            b0, b1, b2 = f[0] + d[0] * part, f[1] + d[1] * part, f[2] + d[2] * part
            a1, a2 = f[3] + d[3] * part, f[4] + d[4] * part
            x, now = section(sides(heard[0, n], heard[1, n]), (b0, b1, b2, a1, a2), now)
            out[0, n], out[1, n] = side_of(x, 0), side_of(x, 1)
        keep(state[index], now)
    restore_denormals(old)
