"""True peak: the largest value of the sound between its samples as well.

References
----------
ITU-R BS.1770-4 (2015), Annex 2: four-fold oversampling by a polyphase low-pass.
"""

import numpy as np
from numpy.typing import NDArray
from scipy import signal as scipy_signal

_TIMES = 4
_TAPS = 25
_STRETCH = 4096

# Odd in length, so that the phases fall on the samples, a quarter, half and three quarters of the way on.
_FILTER = _TIMES * scipy_signal.firwin(_TIMES * (_TAPS - 1) + 1, 0.95 / _TIMES, window=("kaiser", 6.0))
PHASES = np.ascontiguousarray(np.pad(_FILTER, (0, _TIMES - 1)).reshape(_TAPS, _TIMES)[::-1], np.float32)
"""The filter's taps, (taps, phases), those for the oldest sample first."""
_MOST = float(np.abs(PHASES).sum(axis=0).max())
"""The most that a phase can make of samples of magnitude 1."""


def true_peak(samples: NDArray[np.float32]) -> float:
    """Return the true peak of (channels, frames), linear; at least the largest sample.

    Stretches are oversampled from the loudest down, and only while they could still hold a larger peak:
    the answer is the same as if all were.
    """
    edges = np.arange(0, samples.shape[1], _STRETCH)
    if not edges.size:
        return 0.0
    loudest = np.maximum(np.maximum.reduceat(samples, edges, axis=1), -np.minimum.reduceat(samples, edges, axis=1))
    reached = np.maximum(loudest, np.pad(loudest, ((0, 0), (1, 0)))[:, :-1])  # the filter reaches back
    found = float(loudest.max())
    for place in np.argsort(-reached, axis=None):
        channel, index = np.unravel_index(place, loudest.shape)
        if reached[channel, index] * _MOST <= found:
            break
        start = int(edges[index])
        stretch = samples[channel, max(start - _TAPS, 0) : start + _STRETCH]
        edge = _TAPS if start + _STRETCH >= samples.shape[1] or start == 0 else 0
        windows = np.lib.stride_tricks.sliding_window_view(np.pad(stretch, edge), _TAPS)
        found = max(found, float(np.abs(windows @ PHASES).max()))
    return found
