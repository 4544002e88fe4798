"""True peak: the largest value of the sound between its samples as well.

References
----------
ITU-R BS.1770-4 (2015), Annex 2: four-fold oversampling by a polyphase low-pass.
"""

import numpy as np
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
        channel, index = np.unravel_index(place, loudest.shape)
        if reached[channel, index] * _MOST <= found:
            break
        start = int(edges[index])
        stretch = samples[channel, max(start - TAPS, 0) : start + _STRETCH]
        before = TAPS if begins and start == 0 else 0
        after = TAPS if ends and start + _STRETCH >= samples.shape[1] else 0
        padded = np.pad(stretch, (before, after))
        if len(padded) >= TAPS:
            windows = np.lib.stride_tricks.sliding_window_view(padded, TAPS)
            found = max(found, float(np.abs(windows @ PHASES).max()))
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
