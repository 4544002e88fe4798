"""The kernel: a 16-line feedback delay network with input diffusers, for stereo float32 audio.

What makes it fast: lines are read and written in blocks no longer than the shortest of them, so no
sample of a block depends on another; the lines are rings in which no read or write of a block wraps, and
the shorter buffers before them slide back when full; everything is read and written sixteen frames at a time, over the end of a block too, where
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

from typing import NamedTuple

from numba import njit, types

from highhall.curves import CELL
from highhall.effects.delay import read_gliding, read_moving
from highhall.effects.denormals import flush_denormals, restore_denormals
from highhall.effects.reverb.dc_blocker import block_dc
from highhall.effects.reverb.mixing import mix_and_feed
from highhall.effects.reverb.rings import HEARD, PLACE, SLACK, copy_frames, go_on, now_in
from highhall.effects.signals import Coefficients, Signal, WholeNumbers
from highhall.effects.vectors import COUNT, load, store, transpose

LINES = 16
BLOCK = 1024
SLIDE = 2048
COPIED = (LINES + 1) * BLOCK
"""Frames before all rings: a block of every line whose past can't be heard where it lies, and one more as scratch."""

_CONTRACT = {"contract"}
_built_in = njit(nogil=True, cache=True, fastmath=_CONTRACT, forceinline=True)
"""For what `run_network` calls: where it is compiled it would else call what was compiled before it, with other last bits than where it is loaded."""


class Layout(NamedTuple):
    """What of a network never changes.

    lengths (16,): of the lines in samples. wanders (16,): -1, or which of the delays of a `Motion` a line has. inputs, outputs (2, 16):
    gains by side. diffuser_lengths (2, stages). reflection_delays (4, reflections), a multiple of 4 of them: early reflections left-left,
    left-right, right-left, right-right (from, to). dc_blocker: see `block_dc`. block: frames at a time, not over BLOCK nor the
    shortest delay; whole cells if it is over one. steps: see `CELL_STEPS`. scales: see `LAGRANGE`.
    """

    lengths: WholeNumbers
    wanders: WholeNumbers
    inputs: Signal
    outputs: Signal
    diffuser_lengths: WholeNumbers
    reflection_delays: WholeNumbers
    dc_blocker: Signal
    is_shifted: bool
    block: int
    steps: Signal
    scales: Coefficients


class State(NamedTuple):
    """What a network holds from block to block.

    lines and rings (6, 16): see `rings`; before the rings there are COPIED frames for copies of lines and as scratch. diffusers
    (2, stages, history + SLIDE + SLACK), early and shifted (2, history + SLIDE + SLACK): what they were fed, up to the cursors (3,).
    shelves (32,): see `_go_round`. dc (2,): see `block_dc`.
    """

    lines: Signal
    rings: WholeNumbers
    diffusers: Signal
    early: Signal
    shifted: Signal
    cursors: WholeNumbers
    shelves: Signal
    dc: Signal


class Gains(NamedTuple):
    """What follows the parameters. fed: the input's gain at the first frame, and by how much it grows a frame. shelves (96,): see `_go_round`.

    diffusers (stages,). reflections (4, reflections).
    """

    fed: float
    slope: float
    shelves: Signal
    diffusers: Signal
    reflections: Signal


class Motion(NamedTuple):
    """What moves. delays (rows, cells + 1): of lines that wander, on the grid from the first frame's cell on.

    heads and shares (2, frames), feed (frames,): of a tail that is shifted, see `_shift`.
    """

    delays: Coefficients
    heads: Coefficients
    shares: Signal
    feed: Signal


class Scratch(NamedTuple):
    """Room to work in. blocks (3, 2, BLOCK), square (256,)."""

    blocks: Signal
    square: Signal


@_built_in
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


@_built_in
def _read_lines(
    lines: Signal, rings: WholeNumbers, lengths: WholeNumbers, wanders: WholeNumbers, delays: Coefficients,
    first: int, first_cell: int, steps: Signal, count: int, has_change: bool,  # noqa: FBT001
) -> None:  # fmt: skip
    """Say where every line is heard late by its length, or by what it wanders to: where it lies, or copied before all rings.

    has_change: whether what is heard will be changed, which what lies in the rings may not be.
    """
    for line in range(LINES):
        now = now_in(rings, line)
        copied = line * BLOCK
        rings[HEARD, line] = copied
        if wanders[line] >= 0:
            read_gliding(lines, now, lines, copied, count, first, delays[wanders[line]], first_cell, steps)
        elif has_change:
            copy_frames(lines, now - lengths[line], lines, copied, count)
        else:
            rings[HEARD, line] = now - lengths[line]


@_built_in
def _pick_up(lines: Signal, places: WholeNumbers, heard: Signal, gains: Signal, count: int) -> None:
    """Weigh the 16 lines, each from its place on, into both sides of `heard`; gains (2, 16)."""
    for n in range(0, count, COUNT):
        lanes = load(lines, places[0] + n)
        left, right = gains[0, 0] * lanes, gains[1, 0] * lanes
        for line in range(1, LINES):
            lanes = load(lines, places[line] + n)
            left = left + gains[0, line] * lanes
            right = right + gains[1, line] * lanes
        store(heard, n, left)
        store(heard, BLOCK + n, right)


@_built_in
def _add_reflections(heard: Signal, early: Signal, write: int, delays: WholeNumbers, gains: Signal, count: int) -> None:
    """Add what was fed some delays ago, each at its gain, four at a time; pairs as `Layout` says."""
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


@_built_in
def _go_round(
    lines: Signal,
    rings: WholeNumbers,
    shelves: Signal,
    state: Signal,
    square: Signal,
    fed: Signal,
    inputs: Signal,
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
        transpose(lines, rings[HEARD], first, square)
        for frame in range(min(LINES, count - first)):
            u = load(square, LINES * frame)
            v = a * u + low
            low = c * low + b * u  # this way round only one product waits for the frame before
            store(square, LINES * frame, d * v + high)
            high = f * high + e * v
        mix_and_feed(square, fed, first, inputs, lines, rings[PLACE], first)
    store(state, 0, low)
    store(state, 16, high)


@_built_in
def _shift(
    heard: Signal, side: int, shifted: Signal, write: int, motion: Motion, change: Signal, read: Signal,
    scales: Coefficients, done: int, count: int,
) -> None:  # fmt: skip
    """Write to `change` what takes the place of a side of `heard` less itself: a share of it, transposed by two heads.

    shifted: its past up to `write`. The heads of `motion`, delays in samples, their shares and the share itself count from `done` on.
    """
    shares, feed = motion.shares, motion.feed[done:]
    for n in range(count):
        shifted[side, write + n] = heard[side, n]
        change[side, n] = -feed[n] * heard[side, n]
    for head in range(2):
        read_moving(shifted[side], read, write, motion.heads[head, done : done + count], scales)
        for n in range(count):
            change[side, n] += feed[n] * shares[head, done + n] * read[n]


@_built_in
def _put_back(lines: Signal, change: Signal, gains: Signal, count: int) -> None:
    """Add both sides' change to the copies of the lines, at the gains (2, 16) by which they were picked up."""
    for line in range(LINES):
        left, right = gains[0, line], gains[1, line]
        for n in range(0, count, COUNT):
            at = line * BLOCK + n
            store(lines, at, load(lines, at) + left * load(change, n) + right * load(change, BLOCK + n))


@_built_in
def _with_room(buffers: Signal, write: int, count: int) -> int:
    """Return where to write so many more frames to each of some buffers; if they are full, their last samples move back to where they begin."""
    size = buffers.shape[1]
    if write + count <= size - SLACK:
        return write
    history: int = size - SLACK - SLIDE
    for row in range(buffers.shape[0]):
        copy_frames(buffers, row * size + write - history, buffers, row * size, history)
    return history


_ROW, _ROWS, _TABLE = types.float32[::1], types.float32[:, ::1], types.float32[:, :, ::1]
_WHOLE_ROW, _WHOLE_ROWS = types.int64[::1], types.int64[:, ::1]
_EXACT_ROW, _EXACT_ROWS = types.float64[::1], types.float64[:, ::1]


def _taken(*fields: types.Type, by: type) -> types.Type:
    """Return the type of a named tuple in a kernel's signature."""
    return types.NamedTuple(fields, by)  # type: ignore[no-untyped-call]


_SIGNATURE = types.void(
    _ROWS, _ROWS, types.int64,
    _taken(
        _WHOLE_ROW, _WHOLE_ROW, _ROWS, _ROWS, _WHOLE_ROWS, _WHOLE_ROWS, _ROW, types.boolean, types.int64, _ROW, _EXACT_ROW,
        by=Layout,
    ),
    _taken(_ROW, _WHOLE_ROWS, _TABLE, _ROWS, _ROWS, _WHOLE_ROW, _ROW, _ROW, by=State),
    _taken(types.float64, types.float64, _ROW, _ROW, _ROWS, by=Gains),
    _taken(_EXACT_ROWS, _EXACT_ROWS, _ROWS, _ROW, by=Motion),
    _taken(_TABLE, _ROW, by=Scratch),
)  # fmt: skip


@njit(_SIGNATURE, nogil=True, cache=True, fastmath=_CONTRACT)
def run_network(
    source: Signal,
    out: Signal,
    first: int,
    layout: Layout,
    state: State,
    gains: Gains,
    motion: Motion,
    scratch: Scratch,
) -> None:
    """Write the late and early part of the space for `source`, (2, frames), to `out`. first: absolute index of the first frame."""
    old = flush_denormals()
    lines, rings, cursors, square = state.lines, state.rings, state.cursors, scratch.square
    diffusers, early, shifted = state.diffusers, state.early, state.shifted
    frames, stages, block = source.shape[1], layout.diffuser_lengths.shape[1], layout.block
    first_cell = first // CELL
    fed, heard, change = scratch.blocks[0], scratch.blocks[1], scratch.blocks[2]
    done = 0
    while done < frames:
        offset = (first + done) % CELL
        count = min(block - offset if block >= CELL else min(block, CELL - offset), frames - done)  # cells stay whole
        diffuse = _with_room(diffusers.reshape(2 * stages, -1), cursors[0], count)
        keep = _with_room(early, cursors[1], count)
        shift = _with_room(shifted, cursors[2], count) if layout.is_shifted else 0

        block_dc(
            source, done, scratch.blocks.reshape(-1), BLOCK, gains.fed + gains.slope * done, gains.slope, layout.steps,
            layout.dc_blocker, state.dc, count,
        )  # fmt: skip
        _diffuse(fed, diffusers, diffuse, layout.diffuser_lengths, gains.diffusers, count)
        for side in range(2):
            copy_frames(fed, side * BLOCK, early, side * early.shape[1] + keep, count)
        _read_lines(
            lines, rings, layout.lengths, layout.wanders, motion.delays, first + done, first_cell, layout.steps, count,
            layout.is_shifted,
        )  # fmt: skip
        _pick_up(lines, rings[HEARD], heard, layout.outputs, count)
        if layout.is_shifted:
            read = lines[LINES * BLOCK :]
            for side in range(2):
                _shift(heard, side, shifted, shift, motion, change, read, layout.scales, done, count)
            _put_back(lines, change, layout.outputs, count)
        _add_reflections(heard, early, keep, layout.reflection_delays, gains.reflections, count)
        whole = count // COUNT * COUNT
        for side in range(2):
            copy_frames(heard, side * BLOCK, out, side * frames + done, whole)
            for n in range(whole, count):
                out[side, done + n] = heard[side, n]
        _go_round(lines, rings, gains.shelves, state.shelves, square, fed, layout.inputs, count)
        go_on(lines, rings, count)
        cursors[0], cursors[1], cursors[2] = diffuse + count, keep + count, shift + count
        done += count
    restore_denormals(old)
