"""A plain delay in musical time: what sounds at position q comes again at q + note.

A time that never changes in the song is rounded to whole samples. Any other is read between samples
throughout, at y(T(q)) = x(T(q - note)), by 8-point Lagrange interpolation (error below -60 dB up to an
eighth of the sample rate).
"""

import math

import numpy as np
from numba import njit

from highhall.effects.signals import Coefficients, Signal
from highhall.timing import NoteValue, SongTime, TimeValue

_POINTS = 8
_BEFORE = 3  # interpolation points before the one at or left of the read position


@njit("void(float32[:,::1], float32[:,::1], float64[::1], float64[::1])", nogil=True, cache=True)
def read_at(source: Signal, out: Signal, places: Coefficients, scales: Coefficients) -> None:
    """Read (channels, length) at fractional places, 3 <= place < length - 4, into (channels, frames).

    The Lagrange weight of point i is scales[i] times the product of all (place - point j), j not i,
    which is gathered from the left and from the right.
    """
    left, right = np.ones(_POINTS), np.ones(_POINTS)
    for n in range(out.shape[1]):
        whole = math.floor(places[n])
        at = places[n] - whole + _BEFORE
        for i in range(1, _POINTS):
            left[i] = left[i - 1] * (at - (i - 1))
            right[_POINTS - 1 - i] = right[_POINTS - i] * (at - (_POINTS - i))
        for channel in range(out.shape[0]):
            total = 0.0
            for i in range(_POINTS):
                total += left[i] * right[i] * scales[i] * source[channel, whole - _BEFORE + i]
            out[channel, n] = total


_SCALES = np.array([1 / math.prod(i - j for j in range(_POINTS) if j != i) for i in range(_POINTS)])


class PreDelay:
    """Delays stereo audio by a time value of a song."""

    def __init__(self, time: TimeValue, song_time: SongTime) -> None:
        self._time = song_time
        rate = song_time.sample_rate
        self._note = float(time.whole_notes) if isinstance(time, NoteValue) else None
        self._is_constant = self._note is None or song_time.tempos.is_constant
        if isinstance(time, NoteValue):
            slowest = song_time.tempos.slowest
            self.longest_s = float(time.whole_notes) / slowest
        else:
            self.longest_s = time.seconds
        self._samples = round(self.longest_s * rate)
        spare = 0 if self._is_constant else _POINTS
        self._past = np.zeros((2, self._samples + spare), np.float32)

    def process(self, block: Signal, start_sample: int) -> Signal:
        """Return the delayed block, (2, frames)."""
        frames = block.shape[1]
        if self._is_constant and self._samples == 0:
            return block
        known = np.concatenate([self._past, block], axis=1)
        self._past = known[:, frames:].copy()
        if self._is_constant:
            return np.ascontiguousarray(known[:, :frames])
        return self._read_in_time(known, frames, start_sample)

    def _read_in_time(self, known: Signal, frames: int, start_sample: int) -> Signal:
        rate = self._time.sample_rate
        now = np.arange(start_sample, start_sample + frames) / rate
        earlier = self._time.tempos.seconds_before(now, self._note or 0.0)
        places = earlier * rate - start_sample + self._past.shape[1]
        # Closer than the interpolation reaches ahead there is nothing to read yet: keep clear of the end.
        places = np.clip(places, _BEFORE, known.shape[1] - (_POINTS - _BEFORE))
        out = np.empty((2, frames), np.float32)
        read_at(known, out, places, _SCALES)
        return out
