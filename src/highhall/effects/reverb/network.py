"""The kernel: a 16-line feedback delay network with input diffusers, for stereo float32 audio.

What makes it fast: lines are read and written in blocks no longer than the shortest of them, so no
sample of a block depends on another; delay lines are linear buffers that slide back when full, so
nothing wraps; everything is read and written sixteen frames at a time, over the end of a block too, where
what is written means nothing; the recursive shelves run all lines of a frame at once, in lanes.

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
from highhall.effects.delay import read_gliding, read_moving
from highhall.effects.denormals import flush_denormals, restore_denormals
from highhall.effects.reverb.dc_blocker import block_dc
from highhall.effects.reverb.mixing import mix_and_feed
from highhall.effects.signals import Coefficients, Signal, WholeNumbers
from highhall.effects.vectors import COUNT, load, store, transpose

LINES = 16
BLOCK = 512
SLIDE = 8192
SLACK = 32
"""Of every buffer behind all that is written: what sixteen frames at a time read and write over the end of a block."""

_CONTRACT = {"contract"}


@njit(nogil=True, cache=True, fastmath=_CONTRACT)
def _copy(source: Signal, at: int, target: Signal, to: int, count: int) -> None:
    for n in range(0, count, COUNT):
        store(target, to + n, load(source, at + n))


@njit(nogil=True, cache=True, fastmath=_CONTRACT)
def _diffuse(fed: Signal, diffusers: Signal, write: int, lengths: WholeNumbers, gains: Signal, count: int) -> None:
    """Run both sides through Schroeder all-passes in place: v = x + g y, y = v[-m] - g x; diffusers hold v up to `write`.

    No length is below 16.
    """
    size, stages = diffusers.shape[2], lengths.shape[1]
    for n in range(0, count, COUNT):
        for side in range(2):
            x = load(fed, side * BLOCK + n)
            at = side * stages * size + write + n
            for stage in range(stages):
                y = load(diffusers, at - lengths[side, stage]) - gains[stage] * x
                store(diffusers, at, x + gains[stage] * y)
                at += size
                x = y
            store(fed, side * BLOCK + n, x)


@njit(nogil=True, cache=True, fastmath=_CONTRACT)
def _read_lines(
    lines: Signal, write: int, lengths: WholeNumbers, wanders: WholeNumbers, delays: Coefficients, x: Signal,
    first: int, first_cell: int, steps: Signal, count: int,
) -> None:  # fmt: skip
    """Read every line late by its length, or by what it wanders to, into x, BLOCK apart."""
    size = lines.shape[1]
    for line in range(LINES):
        if wanders[line] >= 0:
            row = delays[wanders[line]]
            read_gliding(lines, line * size + write, x, line * BLOCK, count, first, row, first_cell, steps)
        else:
            _copy(lines, line * size + write - lengths[line], x, line * BLOCK, count)


@njit(nogil=True, cache=True, fastmath=_CONTRACT)
def _pick_up(x: Signal, heard: Signal, gains: Signal, count: int) -> None:
    """Weigh the 16 lines into both sides of `heard`; gains (2, 16)."""
    for n in range(0, count, COUNT):
        left, right = gains[0, 0] * load(x, n), gains[1, 0] * load(x, n)
        for line in range(1, LINES):
            lanes = load(x, line * BLOCK + n)
            left = left + gains[0, line] * lanes
            right = right + gains[1, line] * lanes
        store(heard, n, left)
        store(heard, BLOCK + n, right)


@njit(nogil=True, cache=True, fastmath=_CONTRACT)
def _add_reflections(heard: Signal, early: Signal, write: int, delays: WholeNumbers, gains: Signal, count: int) -> None:
    """Add what was fed some delays ago, each at its gain, four at a time; pairs as `run_network` says."""
    for pair in range(4):
        past, out = pair // 2 * early.shape[1] + write, pair % 2 * BLOCK
        for i in range(0, delays.shape[1], 4):
            a, b, c, d = (
                past - delays[pair, i],
                past - delays[pair, i + 1],
                past - delays[pair, i + 2],
                past - delays[pair, i + 3],
            )
            g, h, k, m = gains[pair, i], gains[pair, i + 1], gains[pair, i + 2], gains[pair, i + 3]
            for n in range(0, count, COUNT):
                more = (g * load(early, a + n) + h * load(early, b + n)) + (
                    k * load(early, c + n) + m * load(early, d + n)
                )
                store(heard, out + n, load(heard, out + n) + more)


@njit(nogil=True, cache=True, fastmath=_CONTRACT)
def _go_round(
    x: Signal,
    shelves: Signal,
    state: Signal,
    square: Signal,
    fed: Signal,
    inputs: Signal,
    lines: Signal,
    write: int,
    count: int,
) -> None:
    """Run both shelves of every line, mix the lines, and write them with what is fed.

    shelves (96,) and state (32,) hold 16 lines a coefficient; square (256,) is scratch. Sixteen frames at a time are
    transposed, so that a frame's lines lie side by side. A shelf is v = a u + s, s' = (b - c a) u - c s, with c and f of
    the other sign here.
    """
    a, c, d, f = load(shelves, 0), -1.0 * load(shelves, 32), load(shelves, 48), -1.0 * load(shelves, 80)
    b, e = load(shelves, 16) + c * a, load(shelves, 64) + f * d
    low, high = load(state, 0), load(state, 16)
    for first in range(0, count, LINES):
        transpose(x, first, BLOCK, square, 0, LINES)
        for frame in range(min(LINES, count - first)):
            u = load(square, LINES * frame)
            v = a * u + low
            low = c * low + b * u  # this way round only one product waits for the frame before
            store(square, LINES * frame, d * v + high)
            high = f * high + e * v
        mix_and_feed(square, fed, first, inputs, lines, write + first)
    store(state, 0, low)
    store(state, 16, high)


@njit(nogil=True, cache=True, fastmath=_CONTRACT)
def _shift(
    heard: Signal, side: int, shifted: Signal, write: int, heads: Coefficients, shares: Signal, feed: Signal, change: Signal,
    read: Signal, scales: Coefficients, done: int, count: int,
) -> None:  # fmt: skip
    """Write to `change` what takes the place of a side of `heard` less itself: a share of it, transposed by two heads.

    shifted: its past up to `write`. heads (2, frames): delays in samples, from `done` on; shares (2, frames); feed (count,).
    """
    for n in range(count):
        shifted[side, write + n] = heard[side, n]
        change[side, n] = -feed[n] * heard[side, n]
    for head in range(2):
        read_moving(shifted[side], read, write, heads[head, done : done + count], scales)
        for n in range(count):
            change[side, n] += feed[n] * shares[head, done + n] * read[n]


@njit(nogil=True, cache=True, fastmath=_CONTRACT)
def _put_back(x: Signal, change: Signal, gains: Signal, count: int) -> None:
    """Add both sides' change to the lines, at the gains (2, 16) by which they were picked up."""
    for line in range(LINES):
        left, right = gains[0, line], gains[1, line]
        for n in range(0, count, COUNT):
            at = line * BLOCK + n
            store(x, at, load(x, at) + left * load(change, n) + right * load(change, BLOCK + n))


@njit(nogil=True, cache=True, fastmath=_CONTRACT)
def _slide(buffers: Signal, write: int, history: int, reach: int, first: int) -> None:
    """Move the last `reach` samples of one of some buffers back, so that there is room again; `first` is where it begins."""
    _copy(buffers, first + write - reach, buffers, first + history - reach, reach)


_SIGNATURE = (
    "void(float32[:,::1], float32[:,::1], int64, float64, float64, float32[::1], float32[::1], float32[:,::1], float32[:,:,::1], float32[:,::1], float32[:,::1],"
    "int64[::1], int64[::1], int64[::1], int64[::1], float64[:,::1], float32[::1], float32[::1], float32[:,::1],"
    "float32[:,::1], int64[:,::1], float32[::1], int64[:,::1], float32[:,::1], boolean, float64[:,::1], float32[:,::1],"
    "float32[::1], float32[::1], float32[:,:,::1], float32[::1], int64, float32[::1], float64[::1])"
)


@njit(_SIGNATURE, nogil=True, cache=True, fastmath=_CONTRACT)
def run_network(
    source: Signal, out: Signal, first: int, gain: float, slope: float, dc_blocker: Signal, dc_state: Signal,
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

    first: absolute index of the first frame. gain: of the input at the first frame, and its slope a frame; dc_blocker, dc_state (2,):
    see `block_dc`. lines (16, history + SLIDE + SLACK), diffusers (2, stages, history +
    SLIDE + SLACK), early and shifted (2, history + SLIDE + SLACK) and cursors (4,) are state, as is shelf_state (32,). lengths (16,)
    in samples; reaches (16,): how far back a line is read at most; wanders (16,): -1, or the row of delays (rows, cells + 1) on the grid from the cell of `first` on.
    shelves (96,): see `_go_round`. inputs, outputs (2, 16): gains by side. reflection_delays, reflection_gains (4, reflections), reflections a
    multiple of 4: early reflections left-left, left-right, right-left, right-right (from, to). If is_shifted: heads and
    head_shares (2, frames), feed (frames,), see `_shift`. x (17 * BLOCK,), scratch (3, 2, BLOCK) and square (256,) are scratch. block: frames at a time, not over BLOCK nor the shortest delay; whole cells if it is over one.
    """
    old = flush_denormals()
    frames, stages = source.shape[1], diffuser_lengths.shape[1]
    first_cell = first // CELL
    fed, heard, change = scratch[0], scratch[1], scratch[2]
    done = 0
    while done < frames:
        offset = (first + done) % CELL
        count = min(block - offset if block >= CELL else min(block, CELL - offset), frames - done)  # cells stay whole
        write, diffuse, keep, shift = cursors[0], cursors[1], cursors[2], cursors[3]
        if write + count > lines.shape[1] - SLACK:
            history = lines.shape[1] - SLACK - SLIDE
            for line in range(LINES):  # no more of it than the line reads
                _slide(lines, write, history, reaches[line], line * lines.shape[1])
            write = history
        if diffuse + count > diffusers.shape[2] - SLACK:
            history = diffusers.shape[2] - SLACK - SLIDE
            for row in range(2 * stages):
                _slide(diffusers, diffuse, history, history, row * diffusers.shape[2])
            diffuse = history
        if keep + count > early.shape[1] - SLACK:
            history = early.shape[1] - SLACK - SLIDE
            for side in range(2):
                _slide(early, keep, history, history, side * early.shape[1])
            keep = history
        if is_shifted and shift + count > shifted.shape[1] - SLACK:
            history = shifted.shape[1] - SLACK - SLIDE
            for side in range(2):
                _slide(shifted, shift, history, history, side * shifted.shape[1])
            shift = history

        block_dc(
            source, done, scratch.reshape(-1), BLOCK, gain + slope * done, slope, steps, dc_blocker, dc_state, count
        )
        _diffuse(fed, diffusers, diffuse, diffuser_lengths, diffuser_gains, count)
        for side in range(2):
            _copy(fed, side * BLOCK, early, side * early.shape[1] + keep, count)
        _read_lines(lines, write, lengths, wanders, delays, x, first + done, first_cell, steps, count)
        _pick_up(x, heard, outputs, count)
        if is_shifted:
            for side in range(2):
                _shift(
                    heard, side, shifted, shift, heads, head_shares, feed[done:], change, x[LINES * BLOCK :], scales, done, count,
                )  # fmt: skip
            _put_back(x, change, outputs, count)
        _add_reflections(heard, early, keep, reflection_delays, reflection_gains, count)
        for n in range(count):
            out[0, done + n], out[1, done + n] = heard[0, n], heard[1, n]
        _go_round(x, shelves, shelf_state, square, fed, inputs, lines, write, count)
        cursors[0], cursors[1], cursors[2], cursors[3] = write + count, diffuse + count, keep + count, shift + count
        done += count
    restore_denormals(old)
