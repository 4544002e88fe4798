"""The flanger effect: a short wandering delay against itself.

The delay wanders between 0.3 and 0.3 + 5 x depth ms, the right side a quarter of a round ahead. What comes in
and what the loop gives back are summed; the sum is scaled so that noise keeps its power at every feedback.

References
----------
B. Bartlett, "A scientific explanation of phasing (flanging)", J. Audio Eng. Soc. 18(6), 1970.
"""

import math

import numpy as np
from numba import njit

from highhall.curves import CELL, EffectCurves
from highhall.effects.delay import LAGRANGE, POINTS, cell_edges, weigh, weighed
from highhall.effects.denormals import flush_denormals, restore_denormals
from highhall.effects.mix import mixed
from highhall.effects.ringing import MEMORY_DB
from highhall.effects.signals import Coefficients, Signal, WholeNumbers

_SHORTEST_MS, _SWEEP_MS = 0.3, 5.0


@njit(nogil=True, cache=True, fastmath={"contract"})
def _weigh(
    delays: Coefficients, half: int, offset: int, count: int, scales: Coefficients, weights: Coefficients, wholes: WholeNumbers
) -> None:  # fmt: skip
    """Write the weights of 8 points, (8, count), and the whole part of the delays from `offset` in a cell on; frames side by side.

    The delays go on the parabola through the one at the cell's edge, delays[half], and the next two.
    """
    begin, middle, end = delays[half], delays[half + 1], delays[half + 2]
    bend = 2 * (begin - 2 * middle + end) / (CELL * CELL)
    slope = (end - begin) / CELL - bend * CELL
    for n in range(count):
        step = offset + n
        late = begin + (slope + bend * step) * step
        weigh(late, n, scales, weights, wholes)


@njit(
    "void(float32[:,::1], float32[:,::1], float32[:,::1], int64, float64[:,::1], float32[::1], float64[:,:,::1], int64[:,::1], float64[::1])",
    nogil=True, cache=True, fastmath={"contract"},
)  # fmt: skip
def _run_lines(
    source: Signal, out: Signal, lines: Signal, start: int, delays: Coefficients, feedback: Signal,
    weights: Coefficients, wholes: WholeNumbers, scales: Coefficients,
) -> None:  # fmt: skip
    """Read two lines late, and feed them with the source and a share of what was read; `out` (2, frames) is what was read.

    lines (2, past + frames): the past, which is as long as the longest delay. start: the first frame's place in the song.
    delays (2, 2 * cells + 1): in samples, at the edges and middles of cells, none below 4; feedback (frames,). weights (2, 8, CELL) and
    wholes (2, CELL) are scratch.
    """
    old = flush_denormals()
    frames = source.shape[1]
    past = lines.shape[1] - frames
    first = 0
    while first < frames:
        offset = (start + first) % CELL
        cell = (start + first) // CELL - start // CELL
        count = min(CELL - offset, frames - first)
        for side in range(2):
            _weigh(delays[side], 2 * cell, offset, count, scales, weights[side], wholes[side])
        for n in range(count):
            frame = first + n
            at = past + frame
            left = weighed(lines[0], at - wholes[0, n] - 4, weights[0], n)
            right = weighed(lines[1], at - wholes[1, n] - 4, weights[1], n)
            out[0, frame], out[1, frame] = left, right
            lines[0, at] = source[0, frame] + feedback[frame] * left
            lines[1, at] = source[1, frame] + feedback[frame] * right
        first += count
    restore_denormals(old)


class Flanger:
    """A flanger effect. See `highhall.effects.processor.Processor`."""

    falling_s = 0.0

    def __init__(self, effect: EffectCurves) -> None:
        self._rate, self._depth, self._feedback, self._mix = (
            effect.curve(name) for name in ("rate", "depth", "feedback", "mix")
        )
        self._per_ms = effect.sample_rate / 1000
        longest_ms = _SHORTEST_MS + _SWEEP_MS
        self._past = np.zeros((2, math.ceil(longest_ms * self._per_ms) + POINTS), np.float32)
        self._scratch = np.empty((2, POINTS, CELL)), np.empty((2, CELL), np.int64)
        loudest = max(map(abs, self._feedback.extremes))
        rounds = 1 + (MEMORY_DB / (-20 * math.log10(loudest)) if loudest > 0 else 0)
        self.longest_gap_s = longest_ms / 1000
        self.memory_s = rounds * longest_ms / 1000

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the flanged block, (2, frames)."""
        stop = start_sample + block.shape[1]
        edges = cell_edges(start_sample, stop)
        places = np.arange(edges[0], edges[-1] + 1, CELL // 2)
        phases = self._rate.phases(places) + np.array([[0.0], [0.25]])
        sweep = self._depth.at_each(places) * (0.5 + 0.5 * np.sin(2 * np.pi * phases))
        delays = (_SHORTEST_MS + _SWEEP_MS * sweep) * self._per_ms
        feedback = self._feedback.values(start_sample, stop).astype(np.float32)
        both = self._read(block, start_sample, delays, feedback)
        both += block
        both *= _scale(feedback if self._feedback.constant is None else feedback[:1])
        return mixed(block, both, self._mix, start_sample)

    def _read(self, block: Signal, start_sample: int, delays: Coefficients, feedback: Signal) -> Signal:
        """Return what the lines give back, (2, frames), and keep their past."""
        frames = block.shape[1]
        lines = np.concatenate([self._past, np.empty((2, frames), np.float32)], axis=1)
        back = np.empty((2, frames), np.float32)
        _run_lines(np.ascontiguousarray(block), back, lines, start_sample, delays, feedback, *self._scratch, LAGRANGE)
        self._past = lines[:, frames:].copy()
        return back


def _scale(feedback: Signal) -> Signal:
    """Return the factor at which noise keeps its power."""
    scale: Signal = (1 / np.sqrt(1 + 1 / (1 - feedback * feedback))).astype(np.float32, copy=False)
    return scale
