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

from highhall.curves import EffectCurves
from highhall.effects.delay import LAGRANGE, POINTS, between_points
from highhall.effects.denormals import flush_denormals, restore_denormals
from highhall.effects.mix import mixed
from highhall.effects.signals import Coefficients, Signal, WholeNumbers

_SHORTEST_MS, _SWEEP_MS = 0.3, 5.0
_MEMORY_DB = 110
_AT_ONCE = 256
"""Frames whose weights stay in the processor's first cache."""


@njit(nogil=True, cache=True, fastmath={"contract"})
def _weigh(delays: Coefficients, scales: Coefficients, weights: Coefficients, wholes: WholeNumbers) -> None:
    """Write the weights of 8 points, (8, frames), and the whole part of each delay; frames side by side."""
    for n in range(delays.shape[0]):
        whole = np.floor(delays[n])
        wholes[n] = np.int64(whole)
        (
            weights[0, n], weights[1, n], weights[2, n], weights[3, n],
            weights[4, n], weights[5, n], weights[6, n], weights[7, n],
        ) = between_points(4 - (delays[n] - whole), scales)  # fmt: skip


@njit(nogil=True, cache=True, fastmath={"contract"})
def _heard(line: Signal, place: int, w: Coefficients, n: int) -> np.float32:
    at = np.uintp(place)  # which never counts from the end
    return np.float32(
        (
            (w[0, n] * line[at] + w[1, n] * line[at + np.uintp(1)])
            + (w[2, n] * line[at + np.uintp(2)] + w[3, n] * line[at + np.uintp(3)])
        )
        + (
            (w[4, n] * line[at + np.uintp(4)] + w[5, n] * line[at + np.uintp(5)])
            + (w[6, n] * line[at + np.uintp(6)] + w[7, n] * line[at + np.uintp(7)])
        )
    )


@njit(
    "void(float32[:,::1], float32[:,::1], float32[:,::1], float64[:,::1], float32[::1], float64[:,:,::1], int64[:,::1], float64[::1])",
    nogil=True, cache=True, fastmath={"contract"},
)  # fmt: skip
def _run_lines(
    source: Signal, out: Signal, lines: Signal, delays: Coefficients, feedback: Signal,
    weights: Coefficients, wholes: WholeNumbers, scales: Coefficients,
) -> None:  # fmt: skip
    """Read two lines late, and feed them with the source and a share of what was read; `out` (2, frames) is what was read.

    lines (2, past + frames): the past, which is as long as the longest delay. delays (2, frames) in samples, none below 4;
    feedback (frames,). weights (2, 8, _AT_ONCE) and wholes (2, _AT_ONCE) are scratch.
    """
    old = flush_denormals()
    frames = source.shape[1]
    past = lines.shape[1] - frames
    for first in range(0, frames, _AT_ONCE):
        stop = min(first + _AT_ONCE, frames)
        for side in range(2):
            _weigh(delays[side, first:stop], scales, weights[side], wholes[side])
        for frame in range(first, stop):
            n, at = frame - first, past + frame
            left = _heard(lines[0], at - wholes[0, n] - 4, weights[0], n)
            right = _heard(lines[1], at - wholes[1, n] - 4, weights[1], n)
            out[0, frame], out[1, frame] = left, right
            lines[0, at] = source[0, frame] + feedback[frame] * left
            lines[1, at] = source[1, frame] + feedback[frame] * right
    restore_denormals(old)


class Flanger:
    """A flanger effect. See `highhall.effects.processor.Processor`."""

    def __init__(self, effect: EffectCurves) -> None:
        self._rate, self._depth, self._feedback, self._mix = (
            effect.curve(name) for name in ("rate", "depth", "feedback", "mix")
        )
        self._per_ms = effect.sample_rate / 1000
        longest_ms = _SHORTEST_MS + _SWEEP_MS
        self._past = np.zeros((2, math.ceil(longest_ms * self._per_ms) + POINTS), np.float32)
        self._scratch = np.empty((2, POINTS, _AT_ONCE)), np.empty((2, _AT_ONCE), np.int64)
        loudest = max(map(abs, self._feedback.extremes))
        rounds = 1 + (_MEMORY_DB / (-20 * math.log10(loudest)) if loudest > 0 else 0)
        self.longest_gap_s = longest_ms / 1000
        self.memory_s = rounds * longest_ms / 1000

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the flanged block, (2, frames)."""
        frames = block.shape[1]
        stop = start_sample + frames
        phases = self._rate.phases(np.arange(start_sample, stop)) + np.array([[0.0], [0.25]])
        sweep = self._depth.values(start_sample, stop) * (0.5 + 0.5 * np.sin(2 * np.pi * phases))
        delays = (_SHORTEST_MS + _SWEEP_MS * sweep) * self._per_ms
        feedback = self._feedback.values(start_sample, stop)
        back = self._read(block, delays, feedback.astype(np.float32))
        scale = 1 / np.sqrt(1 + 1 / (1 - feedback**2))
        return mixed(block, (block + back) * scale.astype(np.float32), self._mix, start_sample)

    def _read(self, block: Signal, delays: Coefficients, feedback: Signal) -> Signal:
        """Return what the lines give back, (2, frames), and keep their past."""
        frames = block.shape[1]
        lines = np.concatenate([self._past, np.empty((2, frames), np.float32)], axis=1)
        back = np.empty((2, frames), np.float32)
        _run_lines(np.ascontiguousarray(block), back, lines, delays, feedback, *self._scratch, LAGRANGE)
        self._past = lines[:, frames:].copy()
        return back
