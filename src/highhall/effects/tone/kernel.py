"""Second-order sections on stereo audio, four fused in one pass.

Transposed direct form II with float64 coefficients and state (float32 state errs at -75 dB for a 30 Hz
cut). Both sides go side by side in lanes, and fusing keeps four independent recursions in flight, which hides their
latency.
"""

from typing import Any

from numba import njit

from highhall.effects.denormals import flush_denormals, restore_denormals
from highhall.effects.lanes import side_of, sides
from highhall.effects.signals import Coefficients, Signal

FUSED = 4
_SIGNATURE = "void(float32[:,::1], float32[:,::1], float64[:,::1], float64[:,::1])"


@njit(nogil=True, cache=True)
def _state_of(section: Coefficients) -> tuple[Any, Any]:
    return sides(section[0], section[2]), sides(section[1], section[3])


@njit(nogil=True, cache=True)
def _keep(section: Coefficients, first: Any, second: Any) -> None:  # noqa: ANN401 - lanes
    section[0], section[1], section[2], section[3] = (
        side_of(first, 0), side_of(second, 0), side_of(first, 1), side_of(second, 1),
    )  # fmt: skip


@njit(_SIGNATURE, nogil=True, cache=True, fastmath={"contract"})
def filter_four(source: Signal, out: Signal, sections: Coefficients, state: Coefficients) -> None:
    """Filter (2, frames) through exactly four sections; `state` is (4, 4): left s1, s2, right s1, s2.

    `out` may be `source`. Pad with pass-through sections (1, 0, 0, 0, 0), which change no bit.
    """
    old = flush_denormals()
    p0, p1, p2, p3, p4 = sections[0, 0], sections[0, 1], sections[0, 2], sections[0, 3], sections[0, 4]
    q0, q1, q2, q3, q4 = sections[1, 0], sections[1, 1], sections[1, 2], sections[1, 3], sections[1, 4]
    r0, r1, r2, r3, r4 = sections[2, 0], sections[2, 1], sections[2, 2], sections[2, 3], sections[2, 4]
    t0, t1, t2, t3, t4 = sections[3, 0], sections[3, 1], sections[3, 2], sections[3, 3], sections[3, 4]
    pa, pb = _state_of(state[0])
    qa, qb = _state_of(state[1])
    ra, rb = _state_of(state[2])
    ta, tb = _state_of(state[3])
    for n in range(source.shape[1]):
        x = sides(source[0, n], source[1, n])
        y = p0 * x + pa
        pa = p1 * x - p3 * y + pb
        pb = p2 * x - p4 * y
        u = q0 * y + qa
        qa = q1 * y - q3 * u + qb
        qb = q2 * y - q4 * u
        v = r0 * u + ra
        ra = r1 * u - r3 * v + rb
        rb = r2 * u - r4 * v
        w = t0 * v + ta
        ta = t1 * v - t3 * w + tb
        tb = t2 * v - t4 * w
        out[0, n], out[1, n] = side_of(w, 0), side_of(w, 1)
    _keep(state[0], pa, pb)
    _keep(state[1], qa, qb)
    _keep(state[2], ra, rb)
    _keep(state[3], ta, tb)
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
    for section in range(first.shape[0]):
        f, d, s = first[section], last[section] - first[section], state[section]
        for n in range(source.shape[1]):
            part = parts[n]
            b0, b1, b2 = f[0] + d[0] * part, f[1] + d[1] * part, f[2] + d[2] * part
            a1, a2 = f[3] + d[3] * part, f[4] + d[4] * part
            for side in range(2):
                x = source[side, n] if section == 0 else out[side, n]
                y = b0 * x + s[2 * side]
                s[2 * side] = b1 * x - a1 * y + s[2 * side + 1]
                s[2 * side + 1] = b2 * x - a2 * y
                out[side, n] = y
    restore_denormals(old)
