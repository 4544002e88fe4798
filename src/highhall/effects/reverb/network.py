"""The kernel: a 16-line feedback delay network with input diffusers, for stereo float32 audio.

What makes it fast: lines are read and written in blocks no longer than the shortest of them, so no
sample of a block depends on another; delay lines are linear buffers that slide back when full, so
nothing wraps; the scratch holds one line after another with a constant stride, so that the mixing
vectorises over time, and it is transposed only for the recursive shelves, which vectorise over lines.

What makes it repeatable: the lines' wandering is a function of the absolute sample index on a grid of
128, so neither block sizes nor the place where rendering starts change a bit of what they do.

References
----------
J. Stautner and M. Puckette, "Designing multi-channel reverberators", Computer Music Journal 6(1), 1982.
J.-M. Jot and A. Chaigne (1991), see `decay`. M. R. Schroeder, "Natural sounding artificial
reverberation", J. Audio Eng. Soc. 10(3), 1962 (the all-pass diffusers).
"""

import math

import numpy as np
from numba import njit

from highhall.effects.denormals import flush_denormals, restore_denormals
from highhall.effects.signals import Coefficients, Signal, WholeNumbers

LINES = 16
BLOCK = 512
CELL = 128
SLIDE = 16384
INTERPOLATION_REACH = 4
CELL_STEPS = np.arange(CELL).astype(np.float32)
_CONTRACT = {"contract"}


@njit(nogil=True, cache=True, fastmath=_CONTRACT)
def _copy(target: Signal, source: Signal, count: int) -> None:
    for n in range(count):
        target[n] = source[n]


@njit(nogil=True, cache=True, fastmath=_CONTRACT)
def _all_pass(signal: Signal, delayed: Signal, store: Signal, gain: float, count: int) -> None:
    """Schroeder all-pass in place: v = x + g y, y = v[-m] - g x; `delayed` is the line m samples ago."""
    for n in range(count):
        y = delayed[n] - gain * signal[n]
        store[n] = signal[n] + gain * y
        signal[n] = y


@njit(nogil=True, cache=True)
def _sine(phase: float) -> float:
    """Sine of `phase` cycles by two parabolas, error below 0.0011; no library call."""
    t = 2.0 * (phase - math.floor(phase)) - 1.0
    y = -4.0 * t * (1.0 - abs(t))
    return 0.225 * (y * abs(y) - y) + y


@njit(nogil=True, cache=True, fastmath=_CONTRACT)
def _read_between(line: Signal, out: Signal, steps: Signal, start: np.float32, slope: np.float32, count: int) -> None:
    """Read `line` by 6-point Lagrange interpolation at fractions start + slope * steps of a sample."""
    for n in range(count):
        f = start + steps[n] * slope
        p2 = f + np.float32(2)
        p1 = f + np.float32(1)
        m1 = f - np.float32(1)
        m2 = f - np.float32(2)
        m3 = f - np.float32(3)
        low, high, outer = p2 * p1, m1 * m2, f * m3
        out[n] = (
            low * f * high * np.float32(1 / 120) * line[n]
            - low * m1 * outer * np.float32(1 / 24) * line[n + 1]
            + low * m2 * outer * np.float32(1 / 12) * line[n + 2]
            - low * high * m3 * np.float32(1 / 12) * line[n + 3]
            + p2 * high * outer * np.float32(1 / 24) * line[n + 4]
            - p1 * high * outer * np.float32(1 / 120) * line[n + 5]
        )


@njit(nogil=True, cache=True, fastmath=_CONTRACT)
def _read_wandering(
    line: Signal,
    write: int,
    out: Signal,
    frames: int,
    first: int,
    length: int,
    depth: float,
    rate: float,
    phase: float,
    steps: Signal,
) -> None:
    """Read a line whose delay wanders by `depth` samples; `rate` in cycles a cell, `first` absolute."""
    n = 0
    while n < frames:
        cell = (first + n) // CELL
        offset = first + n - cell * CELL
        end = min(offset + frames - n, CELL)
        delay = length + depth * _sine(rate * cell + phase)
        slope = (length + depth * _sine(rate * (cell + 1) + phase) - delay) / CELL
        step = offset
        while step < end:  # a run keeps one whole number of samples
            whole = math.floor(delay + slope * step)
            stop = end
            if slope > 0:
                stop = math.ceil((whole + 1 - delay) / slope)
            elif slope < 0:
                stop = math.floor((whole - delay) / slope) + 1
            stop = min(max(stop, step + 1), end)
            count = stop - step
            at = n + step - offset
            read = write + at - whole - 3
            _read_between(
                line[read : read + count + 5], out[at : at + count], steps[step:stop],
                np.float32(delay - whole), np.float32(slope), count,
            )  # fmt: skip
            step = stop
        n += end - offset


@njit(nogil=True, cache=True, fastmath=_CONTRACT)
def _mix_hadamard(x: Signal, count: int) -> None:
    """Multiply the 16 lines by the orthogonal Hadamard matrix H16 / 4, in four rounds of butterflies."""
    quarter = np.float32(0.25)
    for n in range(count):
        x0 = x[n]
        x1 = x[512 + n]
        x2 = x[1024 + n]
        x3 = x[1536 + n]
        x4 = x[2048 + n]
        x5 = x[2560 + n]
        x6 = x[3072 + n]
        x7 = x[3584 + n]
        x8 = x[4096 + n]
        x9 = x[4608 + n]
        xa = x[5120 + n]
        xb = x[5632 + n]
        xc = x[6144 + n]
        xd = x[6656 + n]
        xe = x[7168 + n]
        xf = x[7680 + n]
        a0 = x0 + x1
        a1 = x0 - x1
        a2 = x2 + x3
        a3 = x2 - x3
        a4 = x4 + x5
        a5 = x4 - x5
        a6 = x6 + x7
        a7 = x6 - x7
        a8 = x8 + x9
        a9 = x8 - x9
        aa = xa + xb
        ab = xa - xb
        ac = xc + xd
        ad = xc - xd
        ae = xe + xf
        af = xe - xf
        x0 = a0 + a2
        x2 = a0 - a2
        x1 = a1 + a3
        x3 = a1 - a3
        x4 = a4 + a6
        x6 = a4 - a6
        x5 = a5 + a7
        x7 = a5 - a7
        x8 = a8 + aa
        xa = a8 - aa
        x9 = a9 + ab
        xb = a9 - ab
        xc = ac + ae
        xe = ac - ae
        xd = ad + af
        xf = ad - af
        a0 = x0 + x4
        a4 = x0 - x4
        a1 = x1 + x5
        a5 = x1 - x5
        a2 = x2 + x6
        a6 = x2 - x6
        a3 = x3 + x7
        a7 = x3 - x7
        a8 = x8 + xc
        ac = x8 - xc
        a9 = x9 + xd
        ad = x9 - xd
        aa = xa + xe
        ae = xa - xe
        ab = xb + xf
        af = xb - xf
        x[n] = (a0 + a8) * quarter
        x[4096 + n] = (a0 - a8) * quarter
        x[512 + n] = (a1 + a9) * quarter
        x[4608 + n] = (a1 - a9) * quarter
        x[1024 + n] = (a2 + aa) * quarter
        x[5120 + n] = (a2 - aa) * quarter
        x[1536 + n] = (a3 + ab) * quarter
        x[5632 + n] = (a3 - ab) * quarter
        x[2048 + n] = (a4 + ac) * quarter
        x[6144 + n] = (a4 - ac) * quarter
        x[2560 + n] = (a5 + ad) * quarter
        x[6656 + n] = (a5 - ad) * quarter
        x[3072 + n] = (a6 + ae) * quarter
        x[7168 + n] = (a6 - ae) * quarter
        x[3584 + n] = (a7 + af) * quarter
        x[7680 + n] = (a7 - af) * quarter


@njit(nogil=True, cache=True)
def _weave(lines: Signal, woven: Signal, count: int) -> None:
    """Interleave four lines of stride BLOCK: one four-wide store a sample."""
    for n in range(count):
        woven[n * 4] = lines[n]
        woven[n * 4 + 1] = lines[512 + n]
        woven[n * 4 + 2] = lines[1024 + n]
        woven[n * 4 + 3] = lines[1536 + n]


@njit(nogil=True, cache=True)
def _unweave(woven: Signal, lines: Signal, count: int) -> None:
    for n in range(count):
        lines[n] = woven[n * 4]
        lines[512 + n] = woven[n * 4 + 1]
        lines[1024 + n] = woven[n * 4 + 2]
        lines[1536 + n] = woven[n * 4 + 3]


@njit(nogil=True, cache=True)
def _gather_rows(woven: Coefficients, rows: Coefficients, count: int) -> None:
    """From four woven groups to one row of 16 a sample, moved two floats at a time (as float64)."""
    for n in range(count):
        rows[n * 8] = woven[n * 2]
        rows[n * 8 + 1] = woven[n * 2 + 1]
        rows[n * 8 + 2] = woven[1024 + n * 2]
        rows[n * 8 + 3] = woven[1024 + n * 2 + 1]
        rows[n * 8 + 4] = woven[2048 + n * 2]
        rows[n * 8 + 5] = woven[2048 + n * 2 + 1]
        rows[n * 8 + 6] = woven[3072 + n * 2]
        rows[n * 8 + 7] = woven[3072 + n * 2 + 1]


@njit(nogil=True, cache=True)
def _scatter_rows(rows: Coefficients, woven: Coefficients, count: int) -> None:
    for n in range(count):
        woven[n * 2] = rows[n * 8]
        woven[n * 2 + 1] = rows[n * 8 + 1]
        woven[1024 + n * 2] = rows[n * 8 + 2]
        woven[1024 + n * 2 + 1] = rows[n * 8 + 3]
        woven[2048 + n * 2] = rows[n * 8 + 4]
        woven[2048 + n * 2 + 1] = rows[n * 8 + 5]
        woven[3072 + n * 2] = rows[n * 8 + 6]
        woven[3072 + n * 2 + 1] = rows[n * 8 + 7]


@njit(nogil=True, cache=True, fastmath=_CONTRACT)
def _absorb(x: Signal, woven: Signal, rows: Signal, shelves: Signal, state: Signal, count: int) -> None:
    """Run both shelves of every line; shelves (96,) and state (32,) hold 16 lines a coefficient."""
    for group in range(4):
        _weave(x[group * 2048 :], woven[group * 2048 :], count)
    _gather_rows(woven.view(np.float64), rows.view(np.float64), count)
    for n in range(count):
        at = n * 16
        for line in range(16):
            u = rows[at + line]
            v = shelves[line] * u + state[line]
            state[line] = shelves[16 + line] * u - shelves[32 + line] * v
            w = shelves[48 + line] * v + state[16 + line]
            state[16 + line] = shelves[64 + line] * v - shelves[80 + line] * w
            rows[at + line] = w
    _scatter_rows(rows.view(np.float64), woven.view(np.float64), count)
    for group in range(4):
        _unweave(woven[group * 2048 :], x[group * 2048 :], count)


@njit(nogil=True, cache=True, fastmath=_CONTRACT)
def _pick_up(x: Signal, out: Signal, g: Signal, count: int) -> None:
    """Weigh the 16 lines into one output side."""
    for n in range(count):
        out[n] = (
            ((g[0] * x[n] + g[1] * x[512 + n]) + (g[2] * x[1024 + n] + g[3] * x[1536 + n]))
            + ((g[4] * x[2048 + n] + g[5] * x[2560 + n]) + (g[6] * x[3072 + n] + g[7] * x[3584 + n]))
        ) + (
            ((g[8] * x[4096 + n] + g[9] * x[4608 + n]) + (g[10] * x[5120 + n] + g[11] * x[5632 + n]))
            + ((g[12] * x[6144 + n] + g[13] * x[6656 + n]) + (g[14] * x[7168 + n] + g[15] * x[7680 + n]))
        )


@njit(nogil=True, cache=True, fastmath=_CONTRACT)
def _inject(line: Signal, x: Signal, fed: Signal, gain: float, count: int) -> None:
    for n in range(count):
        line[n] = x[n] + gain * fed[n]


@njit(nogil=True, cache=True, fastmath=_CONTRACT)
def _add_taps(
    out: Signal, t0: Signal, t1: Signal, t2: Signal, t3: Signal, g0: float, g1: float, g2: float, g3: float, count: int
) -> None:
    for n in range(count):
        out[n] += (g0 * t0[n] + g1 * t1[n]) + (g2 * t2[n] + g3 * t3[n])


_SIGNATURE = (
    "void(float32[:,::1], float32[:,::1], int64, float32[:,::1], float32[:,:,::1], float32[:,::1], int64[::1],"
    "int64[::1], float64[::1], float64[::1], float64[::1], float32[::1], float32[::1], float32[:,::1],"
    "float32[:,::1], int64[:,::1], float32[::1], int64[:,::1], float32[:,::1], float32[::1], float32[::1],"
    "float32[::1], float32[:,::1], int64, float32[::1])"
)


@njit(_SIGNATURE, nogil=True, cache=True, fastmath=_CONTRACT)
def run_network(
    source: Signal, out: Signal, first: int,
    lines: Signal, diffusers: Signal, early: Signal, cursors: WholeNumbers,
    lengths: WholeNumbers, depths: Coefficients, rates: Coefficients, phases: Coefficients,
    shelves: Signal, shelf_state: Signal, inputs: Signal,
    outputs: Signal, diffuser_lengths: WholeNumbers, diffuser_gains: Signal,
    tap_delays: WholeNumbers, tap_gains: Signal, x: Signal, woven: Signal, rows: Signal,
    diffused: Signal, block: int, steps: Signal,
) -> None:  # fmt: skip
    """Write the late and early part of the space for `source`, (2, frames), to `out`.

    first: absolute index of the first frame. lines (16, history + SLIDE), diffusers (2, stages, history +
    SLIDE), early (2, history + SLIDE) and cursors (3,) are state, as is shelf_state. lengths, depths in samples, rates in
    cycles a cell, phases in cycles, (16,). inputs, outputs (2, 16): gains by side. tap_delays, tap_gains
    (4, taps), taps a multiple of 4: early taps left-left, left-right, right-left, right-right (from, to).
    x, woven, rows (16 * BLOCK,) and diffused (2, BLOCK) are scratch. block: frames at a time, not over BLOCK nor the shortest delay.
    """
    old = flush_denormals()
    frames = source.shape[1]
    stages = diffuser_lengths.shape[1]
    done = 0
    while done < frames:
        count = min(block, frames - done)
        write = cursors[0]
        if write + count > lines.shape[1]:
            history = lines.shape[1] - SLIDE
            for line in range(LINES):
                _copy(lines[line], lines[line, write - history :], history)
            write = history
        diffuse = cursors[1]
        if diffuse + count > diffusers.shape[2]:
            history = diffusers.shape[2] - SLIDE
            for side in range(2):
                for stage in range(stages):
                    _copy(diffusers[side, stage], diffusers[side, stage, diffuse - history :], history)
            diffuse = history
        tap = cursors[2]
        if tap + count > early.shape[1]:
            history = early.shape[1] - SLIDE
            for side in range(2):
                _copy(early[side], early[side, tap - history :], history)
            tap = history

        for side in range(2):
            fed = diffused[side]
            _copy(fed, source[side, done:], count)
            for stage in range(stages):
                length = diffuser_lengths[side, stage]
                start = 0
                while start < count:  # no longer than the all-pass itself
                    part = min(count - start, length)
                    at = diffuse + start
                    store = diffusers[side, stage]
                    _all_pass(fed[start:], store[at - length :], store[at:], diffuser_gains[stage], part)
                    start += part
            _copy(early[side, tap:], fed, count)

        for line in range(LINES):
            read = x[line * BLOCK : line * BLOCK + count]
            if depths[line] == 0.0:
                _copy(read, lines[line, write - lengths[line] :], count)
            else:
                _read_wandering(
                    lines[line], write, read, count, first + done,
                    lengths[line], depths[line], rates[line], phases[line], steps,
                )  # fmt: skip
        for side in range(2):
            _pick_up(x, out[side, done:], outputs[side], count)
        for pair in range(4):
            fed = early[pair // 2]
            delays = tap_delays[pair]
            gains = tap_gains[pair]
            for index in range(0, tap_delays.shape[1], 4):
                _add_taps(
                    out[pair % 2, done:],
                    fed[tap - delays[index] :], fed[tap - delays[index + 1] :],
                    fed[tap - delays[index + 2] :], fed[tap - delays[index + 3] :],
                    gains[index], gains[index + 1], gains[index + 2], gains[index + 3], count,
                )  # fmt: skip

        _absorb(x, woven, rows, shelves, shelf_state, count)
        _mix_hadamard(x, count)
        for line in range(LINES):
            side = line % 2
            _inject(lines[line, write:], x[line * BLOCK :], diffused[side], inputs[side, line], count)
        cursors[0] = write + count
        cursors[1] = diffuse + count
        cursors[2] = tap + count
        done += count
    restore_denormals(old)
