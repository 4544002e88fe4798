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
from highhall.effects.delay import CELL_STEPS, LAGRANGE, POINTS, between_eight, cell_edges
from highhall.effects.denormals import flush_denormals, restore_denormals
from highhall.effects.mix import mixed
from highhall.effects.ringing import MEMORY_DB
from highhall.effects.signals import Coefficients, Signal
from highhall.effects.sines import sine
from highhall.effects.vectors import COUNT, load, store

_SHORTEST_MS, _SWEEP_MS = 0.3, 5.0


_AT_ONCE = 8
"""Frames that are read before the first of them is written: fewer than the shortest delay, less what is read around it."""


@njit(
    "void(float32[:,::1], float32[:,::1], float32[:,::1], int64, float64[:,::1], float32[::1], float32[::1], float64[::1])",
    nogil=True, cache=True, fastmath={"contract"},
)  # fmt: skip
def _run_lines(
    source: Signal, out: Signal, lines: Signal, start: int, delays: Coefficients, feedback: Signal,
    steps: Signal, scales: Coefficients,
) -> None:  # fmt: skip
    """Read two lines late, and feed them with the source and a share of what was read; `out` (2, frames) is what was read.

    lines (2, past + frames + COUNT): the past, which is as long as the longest delay. start: the first frame's place in the
    song. delays (2, 2 * cells + 1): in samples, at the edges and middles of cells, on parabolas through three of them; none
    below 13. feedback (frames,); steps: CELL_STEPS. What is behind the frames of a line means nothing.
    """
    old = flush_denormals()
    frames = source.shape[1]
    past = lines.shape[1] - frames - COUNT
    read, step = np.empty(COUNT, np.float32), load(steps, 0)
    for side in range(2):
        line, first = lines[side], 0
        while first < frames:
            offset = (start + first) % CELL
            half = 2 * ((start + first) // CELL - start // CELL)
            begin, middle, end = delays[side, half], delays[side, half + 1], delays[side, half + 2]
            bend = 2 * (begin - 2 * middle + end) / (CELL * CELL)
            slope = (end - begin) / CELL - bend * CELL
            skipped = offset % _AT_ONCE  # those before it that are read with it, and not written again
            eight = offset - skipped
            whole = math.floor(begin + (slope + bend * offset) * offset)
            last = min(eight + _AT_ONCE, offset + frames - first) - 1
            while math.floor(begin + (slope + bend * last) * last) != whole:  # those that are read together keep it
                last -= 1
            turn = np.float32(slope + 2 * bend * eight) + np.float32(bend) * step
            fractions = np.float32(begin + (slope + bend * eight) * eight - whole) + turn * step
            at = past + first
            store(read, 0, between_eight(line, at - skipped - whole - 4, fractions, scales))
            count = last + 1 - offset
            for n in range(count):
                heard = read[skipped + n]
                out[side, first + n] = heard
                line[at + n] = source[side, first + n] + feedback[first + n] * heard
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
        self._past = np.zeros((2, math.ceil(longest_ms * self._per_ms) + POINTS + _AT_ONCE), np.float32)
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
        sweep = self._depth.at_each(places) * (0.5 + 0.5 * sine(phases))
        delays = (_SHORTEST_MS + _SWEEP_MS * sweep) * self._per_ms
        feedback = self._feedback.values(start_sample, stop).astype(np.float32)
        both = self._read(block, start_sample, delays, feedback)
        both += block
        both *= _scale(feedback if self._feedback.constant is None else feedback[:1])
        return mixed(block, both, self._mix, start_sample)

    def _read(self, block: Signal, start_sample: int, delays: Coefficients, feedback: Signal) -> Signal:
        """Return what the lines give back, (2, frames), and keep their past."""
        frames, past = block.shape[1], self._past.shape[1]
        lines = np.concatenate([self._past, np.empty((2, frames + COUNT), np.float32)], axis=1)
        back = np.empty((2, frames), np.float32)
        _run_lines(np.ascontiguousarray(block), back, lines, start_sample, delays, feedback, CELL_STEPS, LAGRANGE)
        self._past = lines[:, frames : frames + past].copy()
        return back


def _scale(feedback: Signal) -> Signal:
    """Return the factor at which noise keeps its power."""
    scale: Signal = (1 / np.sqrt(1 + 1 / (1 - feedback * feedback))).astype(np.float32, copy=False)
    return scale
