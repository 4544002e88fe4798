"""The kernel: a 16-line feedback delay network with input diffusers, for stereo float32 audio.

What makes it fast: lines are read and written in blocks no longer than the shortest of them, so no
sample of a block depends on another; delay lines are linear buffers that slide back when full, so
nothing wraps; the scratch holds one line after another with a constant stride, so that the mixing
vectorises over time; the recursive shelves run all lines of a frame at once, in lanes.

What makes it repeatable: where a line wanders is given on an absolute grid of cells and lies on a line
between, so neither block sizes nor the place where rendering starts change a bit of what it does.

A tail that is shifted: each of the two outputs is a sum of the 16 lines with weights of unit length. A share of this
sum is taken out of the lines, shifted in pitch, and put back with the same weights. The pitch shifter gives back no
more power than it gets, so the loop loses as much as before and cannot run away.

References
----------
J. Stautner and M. Puckette, "Designing multi-channel reverberators", Computer Music Journal 6(1), 1982.
J.-M. Jot and A. Chaigne (1991), see `decay`. M. R. Schroeder, "Natural sounding artificial
reverberation", J. Audio Eng. Soc. 10(3), 1962 (the all-pass diffusers).
"""

from numba import njit

from highhall.curves import CELL
from highhall.effects.delay import read_between, read_gliding
from highhall.effects.denormals import flush_denormals, restore_denormals
from highhall.effects.reverb.hadamard import mix_hadamard
from highhall.effects.signals import Coefficients, Signal, WholeNumbers
from highhall.effects.vectors import load, side_of, sides, store, transpose

LINES = 16
BLOCK = 512
SLIDE = 4096
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


@njit(nogil=True, cache=True, fastmath=_CONTRACT)
def _absorb(x: Signal, shelves: Signal, state: Signal, square: Signal, count: int) -> None:
    """Run both shelves of every line; shelves (96,) and state (32,) hold 16 lines a coefficient, square (256,) is scratch.

    Sixteen frames at a time are transposed, so that a frame's lines lie side by side.
    """
    a, b, c = load(shelves, 0), load(shelves, 16), load(shelves, 32)
    d, e, f = load(shelves, 48), load(shelves, 64), load(shelves, 80)
    low, high = load(state, 0), load(state, 16)
    for first in range(0, count, LINES):
        transpose(x, first, BLOCK, square, 0, LINES)
        for frame in range(min(LINES, count - first)):
            u = load(square, LINES * frame)
            v = a * u + low
            low = b * u - c * v
            w = d * v + high
            high = e * v - f * w
            store(square, LINES * frame, w)
        transpose(square, 0, LINES, x, first, BLOCK)
    store(state, 0, low)
    store(state, 16, high)


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
def _add_reflections(
    out: Signal, t0: Signal, t1: Signal, t2: Signal, t3: Signal, g0: float, g1: float, g2: float, g3: float, count: int
) -> None:
    for n in range(count):
        out[n] += (g0 * t0[n] + g1 * t1[n]) + (g2 * t2[n] + g3 * t3[n])


@njit(nogil=True, cache=True, fastmath=_CONTRACT)
def _replace(x: Signal, gain: float, change: Signal, count: int) -> None:
    for n in range(count):
        x[n] += gain * change[n]


@njit(nogil=True, cache=True, fastmath=_CONTRACT)
def _shift(
    heard: Signal, store: Signal, write: int, heads: Coefficients, shares: Signal, feed: Signal, change: Signal,
    read: Signal, scales: Coefficients, done: int, count: int,
) -> None:  # fmt: skip
    """Write to `change` what takes the place of `heard` less itself: a share of it, transposed by two heads.

    store: its past up to `write`. heads (2, frames): delays in samples, from `done` on; shares (2, frames); feed (count,).
    """
    for n in range(count):
        store[write + n] = heard[n]
        change[n] = -feed[n] * heard[n]
    for head in range(2):
        read_between(store, read, write, heads[head, done : done + count], scales)
        for n in range(count):
            change[n] += feed[n] * shares[head, done + n] * read[n]


@njit(nogil=True, cache=True, fastmath=_CONTRACT)
def _block_dc(
    source: Signal,
    left: Signal,
    right: Signal,
    gain: float,
    slope: float,
    dc_blocker: Coefficients,
    state: Coefficients,
    count: int,
) -> None:
    """Take in both sides at a gain that goes on a line, through a first-order low cut b0 (1 - z^-1) / (1 + a1 z^-1)."""
    b0, a1 = dc_blocker[0], dc_blocker[1]
    low = sides(state[0], state[1])
    for n in range(count):
        level = gain + slope * n
        x = sides(level * source[0, n], level * source[1, n])
        y = b0 * x + low
        low = -b0 * x - a1 * y
        left[n], right[n] = side_of(y, 0), side_of(y, 1)
    state[0], state[1] = side_of(low, 0), side_of(low, 1)


_SIGNATURE = (
    "void(float32[:,::1], float32[:,::1], int64, float64, float64, float64[::1], float64[::1], float32[:,::1], float32[:,:,::1], float32[:,::1], float32[:,::1],"
    "int64[::1], int64[::1], int64[::1], int64[::1], float64[:,::1], float32[::1], float32[::1], float32[:,::1],"
    "float32[:,::1], int64[:,::1], float32[::1], int64[:,::1], float32[:,::1], boolean, float64[:,::1], float32[:,::1],"
    "float32[::1], float32[::1], float32[:,::1], float32[::1], int64, float32[::1], float64[::1])"
)


@njit(_SIGNATURE, nogil=True, cache=True, fastmath=_CONTRACT)
def run_network(
    source: Signal, out: Signal, first: int, gain: float, slope: float, dc_blocker: Coefficients, dc_state: Coefficients,
    lines: Signal, diffusers: Signal, early: Signal, shifted: Signal, cursors: WholeNumbers,
    lengths: WholeNumbers, reaches: WholeNumbers, wanders: WholeNumbers, delays: Coefficients,
    shelves: Signal, shelf_state: Signal, inputs: Signal,
    outputs: Signal, diffuser_lengths: WholeNumbers, diffuser_gains: Signal,
    reflection_delays: WholeNumbers, reflection_gains: Signal,
    is_shifted: bool,  # noqa: FBT001
    heads: Coefficients, head_shares: Signal, feed: Signal,
    x: Signal, scratch: Signal, square: Signal, block: int, steps: Signal, scales: Coefficients,
) -> None:  # fmt: skip
    """Write the late and early part of the space for `source`, (2, frames), to `out`.

    first: absolute index of the first frame. gain: of the input at the first frame, and its slope a frame; dc_blocker (2,):
    see `_block_dc`, dc_state (2,). lines (16, history + SLIDE), diffusers (2, stages, history +
    SLIDE), early and shifted (2, history + SLIDE) and cursors (4,) are state, as is shelf_state (32,). lengths (16,)
    in samples; reaches (16,): how far back a line is read at most; wanders (16,): -1, or the row of delays (rows, cells + 1) on the grid from the cell of `first` on.
    shelves (96,): see `_absorb`. inputs, outputs (2, 16): gains by side. reflection_delays, reflection_gains (4, reflections), reflections a
    multiple of 4: early reflections left-left, left-right, right-left, right-right (from, to). If is_shifted: heads and
    head_shares (2, frames), feed (frames,), see `_shift`. x (17 * BLOCK,), scratch (4, BLOCK) and square (256,) are scratch. block: frames at a time, not over BLOCK nor the shortest delay.
    """
    old = flush_denormals()
    frames = source.shape[1]
    stages = diffuser_lengths.shape[1]
    first_cell = first // CELL
    diffused, changes = scratch[:2], scratch[2:]
    done = 0
    while done < frames:
        count = min(block, frames - done)
        write = cursors[0]
        if write + count > lines.shape[1]:
            history = lines.shape[1] - SLIDE
            for line in range(LINES):  # no more of it than the line reads
                reach = reaches[line]
                _copy(lines[line, history - reach :], lines[line, write - reach :], reach)
            write = history
        diffuse = cursors[1]
        if diffuse + count > diffusers.shape[2]:
            history = diffusers.shape[2] - SLIDE
            for side in range(2):
                for stage in range(stages):
                    _copy(diffusers[side, stage], diffusers[side, stage, diffuse - history :], history)
            diffuse = history
        early_write = cursors[2]
        if early_write + count > early.shape[1]:
            history = early.shape[1] - SLIDE
            for side in range(2):
                _copy(early[side], early[side, early_write - history :], history)
            early_write = history
        shift = cursors[3]
        if is_shifted and shift + count > shifted.shape[1]:
            history = shifted.shape[1] - SLIDE
            for side in range(2):
                _copy(shifted[side], shifted[side, shift - history :], history)
            shift = history

        _block_dc(source[:, done:], diffused[0], diffused[1], gain + slope * done, slope, dc_blocker, dc_state, count)
        for side in range(2):
            fed = diffused[side]
            for stage in range(stages):
                length = diffuser_lengths[side, stage]
                start = 0
                while start < count:  # no longer than the all-pass itself
                    part = min(count - start, length)
                    at = diffuse + start
                    store = diffusers[side, stage]
                    _all_pass(fed[start:], store[at - length :], store[at:], diffuser_gains[stage], part)
                    start += part
            _copy(early[side, early_write:], fed, count)

        for line in range(LINES):
            read = x[line * BLOCK : line * BLOCK + count]
            if wanders[line] >= 0:
                row = delays[wanders[line]]
                read_gliding(lines[line], write, read, count, first + done, row, first_cell, steps)
            else:
                _copy(read, lines[line, write - lengths[line] :], count)
        for side in range(2):
            _pick_up(x, out[side, done:], outputs[side], count)
        if is_shifted:
            for side in range(2):
                _shift(
                    out[side, done:], shifted[side], shift, heads, head_shares, feed[done:],
                    changes[side], x[LINES * BLOCK :], scales, done, count,
                )  # fmt: skip
            for line in range(LINES):
                for side in range(2):
                    _replace(x[line * BLOCK :], outputs[side, line], changes[side], count)
            cursors[3] = shift + count
        for pair in range(4):
            fed = early[pair // 2]
            pair_delays = reflection_delays[pair]
            gains = reflection_gains[pair]
            for index in range(0, reflection_delays.shape[1], 4):
                _add_reflections(
                    out[pair % 2, done:],
                    fed[early_write - pair_delays[index] :], fed[early_write - pair_delays[index + 1] :],
                    fed[early_write - pair_delays[index + 2] :], fed[early_write - pair_delays[index + 3] :],
                    gains[index], gains[index + 1], gains[index + 2], gains[index + 3], count,
                )  # fmt: skip

        _absorb(x, shelves, shelf_state, square, count)
        mix_hadamard(x, count)
        for line in range(LINES):
            side = line % 2
            _inject(lines[line, write:], x[line * BLOCK :], diffused[side], inputs[side, line], count)
        cursors[0] = write + count
        cursors[1] = diffuse + count
        cursors[2] = early_write + count
        done += count
    restore_denormals(old)
