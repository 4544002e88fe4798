"""True peak: the largest value of the sound between its samples as well.

References
----------
ITU-R BS.1770-4 (2015), Annex 2: four-fold oversampling by a polyphase low-pass.
"""

import numpy as np
from numba import njit, types
from numpy.typing import NDArray
from scipy import signal as scipy_signal

_TIMES = 4
TAPS = 25
_STRETCH = 4096

# Odd in length, so that the phases fall on the samples, a quarter, half and three quarters of the way on.
_FILTER = _TIMES * scipy_signal.firwin(_TIMES * (TAPS - 1) + 1, 0.95 / _TIMES, window=("kaiser", 6.0))
PHASES = np.ascontiguousarray(np.pad(_FILTER, (0, _TIMES - 1)).reshape(TAPS, _TIMES)[::-1], np.float32)
"""The filter's taps, (taps, phases), those for the oldest sample first."""
_MOST = float(np.abs(PHASES).sum(axis=0).max())
"""The most that a phase can make of samples of magnitude 1."""
_AT_ONCE, _TOGETHER = 512, 5
_READ_ONLY = types.Array(types.float32, 1, "C", readonly=True)  # as stems on disk are; others are taken, too


@njit(types.float32(_READ_ONLY, types.float32[:, ::1]), nogil=True, cache=True, fastmath={"contract"})
def _largest(source: NDArray[np.float32], phases: NDArray[np.float32]) -> np.float32:
    """Return the largest magnitude that any phase, (taps, phases), makes where the whole filter lies in the source."""
    sums, found = np.empty(_AT_ONCE, np.float32), np.zeros(_AT_ONCE, np.float32)
    taps = phases.shape[0]
    for first in range(0, source.shape[0] - taps + 1, _AT_ONCE):
        count = min(_AT_ONCE, source.shape[0] - taps + 1 - first)
        for phase in range(phases.shape[1]):
            sums[:] = 0
            for tap in range(0, taps, _TOGETHER):
                a, b, c, d, e = phases[tap : tap + _TOGETHER, phase]
                at = source[first + tap : first + tap + count + _TOGETHER]
                for n in range(count):
                    sums[n] += (a * at[n] + b * at[n + 1]) + (c * at[n + 2] + d * at[n + 3]) + e * at[n + 4]
            for n in range(count):
                magnitude = abs(sums[n])
                found[n] = magnitude if magnitude > found[n] else found[n]
    largest: np.float32 = found.max()
    return largest


def true_peak(samples: NDArray[np.float32], *, least: float = 0.0, begins: bool = True, ends: bool = True) -> float:
    """Return the true peak of (channels, frames), linear; at least the largest sample, and `least`.

    begins, ends: whether the sound is silent before and after these samples; else peaks are looked for only where the whole
    filter lies in them. Stretches are oversampled from the loudest down, and only while they could still hold a larger peak:
    the answer is the same as if all were.
    """
    edges = np.arange(0, samples.shape[1], _STRETCH)
    if not edges.size:
        return least
    loudest = np.maximum(np.maximum.reduceat(samples, edges, axis=1), -np.minimum.reduceat(samples, edges, axis=1))
    reached = np.maximum(loudest, np.pad(loudest, ((0, 0), (1, 0)))[:, :-1])  # the filter reaches back
    found = max(float(loudest.max()), least)
    for place in np.argsort(-reached, axis=None):
        channel, index = divmod(int(place), loudest.shape[1])
        if reached[channel, index] * _MOST <= found:
            break
        start = int(edges[index])
        stretch = samples[channel, max(start - TAPS, 0) : start + _STRETCH]
        before = TAPS if begins and start == 0 else 0
        after = TAPS if ends and start + _STRETCH >= samples.shape[1] else 0
        if before or after:
            stretch = np.pad(stretch, (before, after))
        if len(stretch) >= TAPS:
            found = max(found, float(_largest(np.ascontiguousarray(stretch, np.float32), PHASES)))
    return found


class TruePeak:
    """The true peak of a sound that comes block by block, (channels, frames) each."""

    def __init__(self) -> None:
        self._before: NDArray[np.float32] | None = None
        self._found = 0.0

    def add(self, block: NDArray[np.float32]) -> float:
        """Take the next block; return the peak so far, that of what rings on after the block left out."""
        is_first = self._before is None
        joined = block if self._before is None else np.concatenate([self._before, block], axis=1)
        self._found = true_peak(joined, least=self._found, begins=is_first, ends=False)
        self._before = joined[:, 1 - TAPS :]
        return self._found

    def finish(self) -> float:
        """Return the peak; the sound is taken as silent after its end."""
        if self._before is not None:
            self._found = true_peak(self._before, least=self._found, begins=False)
        return self._found
