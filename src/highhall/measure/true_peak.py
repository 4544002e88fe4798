"""True peak: the largest value of the sound between its samples as well.

References
----------
ITU-R BS.1770-4 (2015), Annex 2: four-fold oversampling by a polyphase low-pass.
"""

import numpy as np
from numba import njit, types
from numpy.typing import NDArray
from scipy import signal as scipy_signal

from highhall.effects.vectors import COUNT, READ_ONLY, Vector, larger, load, store

_TIMES = 4
TAPS = 25

# Odd in length, so that the phases fall on the samples, a quarter, half and three quarters of the way on.
_FILTER = _TIMES * scipy_signal.firwin(_TIMES * (TAPS - 1) + 1, 0.95 / _TIMES, window=("kaiser", 6.0))
PHASES = np.ascontiguousarray(np.pad(_FILTER, (0, _TIMES - 1)).reshape(TAPS, _TIMES)[::-1], np.float32)
"""The filter's taps, (taps, phases), those for the oldest sample first."""
_MOST = float(np.abs(PHASES).sum(axis=0).max())
"""The most that a phase can make of samples of magnitude 1."""
_AT_ONCE = 512


@njit(nogil=True, cache=True)
def _highest(lanes: Vector, room: NDArray[np.float32]) -> np.float32:
    """Return the largest number of 16. room: (16,)."""
    store(room, 0, lanes)
    highest: np.float32 = room.max()
    return highest


@njit(
    types.float32(READ_ONLY, types.float32[:, ::1], types.float32, types.float32),
    nogil=True, cache=True, fastmath={"contract"},
)  # fmt: skip
def _largest(
    source: NDArray[np.float32], phases: NDArray[np.float32], most: np.float32, least: np.float32
) -> np.float32:
    """Return the largest magnitude that any of four phases, (taps, 4), makes where the whole filter lies in the source.

    These places are a multiple of 16. Stretches in which no phase, which makes at most `most` times the largest sample,
    could exceed what was found are left out.
    """
    taps, found, room = phases.shape[0], least, np.zeros(COUNT, np.float32)
    places = source.shape[0] - taps + 1
    for first in range(0, places, _AT_ONCE):
        last = min(first + _AT_ONCE, places)
        loudest = load(source, last + taps - 1 - COUNT)
        for n in range(first, last + taps - 1 - COUNT, COUNT):
            loudest = larger(loudest, load(source, n))
        if _highest(larger(loudest, loudest), room) * most <= found:
            continue
        peaks = np.float32(0) * loudest
        for n in range(first, last, COUNT):
            sound = load(source, n)
            a, b, c, d = phases[0, 0] * sound, phases[0, 1] * sound, phases[0, 2] * sound, phases[0, 3] * sound
            for tap in range(1, taps):
                sound = load(source, n + tap)
                a, b = a + phases[tap, 0] * sound, b + phases[tap, 1] * sound
                c, d = c + phases[tap, 2] * sound, d + phases[tap, 3] * sound
            peaks = larger(larger(peaks, larger(a, b)), larger(c, d))
        found = max(found, _highest(peaks, room))
    return found


def true_peak(samples: NDArray[np.float32]) -> float:
    """Return the true peak of (channels, frames), linear, silent before and after; at least the largest sample."""
    listening = TruePeak()
    listening.add(samples)
    return listening.finish()


class TruePeak:
    """The true peak of a sound that comes block by block, (channels, frames) each."""

    def __init__(self) -> None:
        self._waiting: NDArray[np.float32] | None = None
        self._found = 0.0

    def add(self, block: NDArray[np.float32]) -> float:
        """Take the next block; return the peak so far, that of the last samples, which a next block may go on from, left out."""
        waiting = np.zeros((len(block), TAPS - 1), np.float32) if self._waiting is None else self._waiting
        joined = np.concatenate([waiting, block], axis=1, dtype=np.float32)
        places = max(joined.shape[1] - TAPS + 1, 0) // COUNT * COUNT
        found = max(float(block.max(initial=0.0)), -float(block.min(initial=0.0)), self._found)
        if places:
            for side in joined:
                found = float(_largest(side[: places + TAPS - 1], PHASES, np.float32(_MOST), np.float32(found)))
        self._found, self._waiting = found, joined[:, places:].copy()
        return found

    def finish(self) -> float:
        """Return the peak; the sound is taken as silent after its end."""
        if self._waiting is not None:
            self.add(np.zeros((len(self._waiting), TAPS - 1 + COUNT), np.float32))
        return self._found
