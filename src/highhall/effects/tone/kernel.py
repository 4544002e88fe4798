"""Second-order sections on stereo audio, four fused in one pass.

Transposed direct form II with float64 coefficients and state (float32 state errs at -75 dB for a 30 Hz
cut). Both sides of four sections go side by side in lanes, each section one frame behind the one before it, so that a
frame takes as long as one recursion, whatever the number of sections.
"""

import numpy as np
from numba import njit

from highhall.effects.denormals import flush_denormals, restore_denormals
from highhall.effects.signals import Coefficients, Signal
from highhall.effects.vectors import (
    Vector,
    last_stage,
    load_stages,
    next_stages,
    side_of,
    sides,
    store_stages,
    where,
)

FUSED = 4
_BEHIND = FUSED - 1
"""Frames that the last of four sections is behind the first."""
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
    return y, (b1 * x + state[1] - a1 * y, b2 * x - a2 * y)  # what waits for y comes last


@njit(nogil=True, cache=True)
def _stages_of(numbers: Coefficients, column: int) -> Vector:
    """Return one column of four rows, for both sides of each: numbers (4, columns)."""
    lanes = np.empty(2 * FUSED)
    for stage in range(FUSED):
        lanes[2 * stage] = lanes[2 * stage + 1] = numbers[stage, column]
    return load_stages(lanes, 0)


@njit(nogil=True, cache=True)
def _states_of(state: Coefficients, order: int) -> Vector:
    """Return s1 (order 0) or s2 (order 1) of both sides of four sections."""
    lanes = np.empty(2 * FUSED)
    for lane in range(2 * FUSED):
        lanes[lane] = state[lane // 2, 2 * (lane % 2) + order]
    return load_stages(lanes, 0)


@njit(nogil=True, cache=True)
def _keep_all(state: Coefficients, order: int, now: Vector) -> None:
    lanes = np.empty(2 * FUSED)
    store_stages(lanes, 0, now)
    for lane in range(2 * FUSED):
        state[lane // 2, 2 * (lane % 2) + order] = lanes[lane]


@njit(nogil=True, cache=True)
def _at_work(step: int, frames: int) -> Vector:
    """Return 1 for the stages that have a frame to filter: each begins and ends a frame after the one before it."""
    lanes = np.empty(2 * FUSED)
    for lane in range(2 * FUSED):
        lanes[lane] = 1.0 if 0 <= step - lane // 2 < frames else 0.0
    return load_stages(lanes, 0)


@njit(nogil=True, cache=True, fastmath={"contract"})
def _at_an_end(
    step: int, source: Signal, out: Signal, y: Vector, coefficients: Vector, state: _State
) -> tuple[Vector, _State]:
    """Go on by a frame where not all stages have one."""
    frames = source.shape[1]
    heard = sides(source[0, step], source[1, step]) if step < frames else sides(0.0, 0.0)
    y, later = section(next_stages(heard, y), coefficients, state)
    if step >= _BEHIND:
        last = last_stage(y)
        out[0, step - _BEHIND], out[1, step - _BEHIND] = side_of(last, 0), side_of(last, 1)
    stages = _at_work(step, frames)
    return y, (where(stages, later[0], state[0]), where(stages, later[1], state[1]))


@njit(_SIGNATURE, nogil=True, cache=True, fastmath={"contract"})
def filter_four(source: Signal, out: Signal, sections: Coefficients, state: Coefficients) -> None:
    """Filter (2, frames) through exactly four sections; `state` is (4, 4): left s1, s2, right s1, s2.

    `out` may be `source`. Pad with pass-through sections (1, 0, 0, 0, 0), which change no bit.
    """
    old = flush_denormals()
    coefficients = (
        _stages_of(sections, 0), _stages_of(sections, 1), _stages_of(sections, 2), _stages_of(sections, 3),
        _stages_of(sections, 4),
    )  # fmt: skip
    now = (_states_of(state, 0), _states_of(state, 1))
    frames, y = source.shape[1], 0.0 * now[0]
    for step in range(_BEHIND):
        y, now = _at_an_end(step, source, out, y, coefficients, now)
    for n in range(frames - _BEHIND):
        heard = sides(source[0, n + _BEHIND], source[1, n + _BEHIND])
        y, now = section(next_stages(heard, y), coefficients, now)
        last = last_stage(y)
        out[0, n], out[1, n] = side_of(last, 0), side_of(last, 1)
    for step in range(max(frames, _BEHIND), frames + _BEHIND):
        y, now = _at_an_end(step, source, out, y, coefficients, now)
    _keep_all(state, 0, now[0])
    _keep_all(state, 1, now[1])
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
