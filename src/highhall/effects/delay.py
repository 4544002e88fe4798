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
    """Read stereo (2, length) at fractional places, 3 <= place < length - 4, into (2, frames).

    The Lagrange weight of point i is scales[i] times the product of all d_j = place - point j, j not i;
    the products are shared in pairs and fours.
    """
    s0, s1, s2, s3 = scales[0], scales[1], scales[2], scales[3]
    s4, s5, s6, s7 = scales[4], scales[5], scales[6], scales[7]
    left, right = source[0], source[1]
    for n in range(places.shape[0]):
        first = math.floor(places[n]) - 3
        d0 = places[n] - first
        d1, d2, d3, d4, d5, d6, d7 = d0 - 1, d0 - 2, d0 - 3, d0 - 4, d0 - 5, d0 - 6, d0 - 7
        low, high = (d0 * d1), (d2 * d3)
        four, five = (d4 * d5), (d6 * d7)
        front, back = low * high, four * five
        w0, w1 = d1 * high * back * s0, d0 * high * back * s1
        w2, w3 = low * d3 * back * s2, low * d2 * back * s3
        w4, w5 = front * d5 * five * s4, front * d4 * five * s5
        w6, w7 = front * four * d7 * s6, front * four * d6 * s7
        out[0, n] = ((w0 * left[first] + w1 * left[first + 1]) + (w2 * left[first + 2] + w3 * left[first + 3])) + (
            (w4 * left[first + 4] + w5 * left[first + 5]) + (w6 * left[first + 6] + w7 * left[first + 7])
        )
        out[1, n] = ((w0 * right[first] + w1 * right[first + 1]) + (w2 * right[first + 2] + w3 * right[first + 3])) + (
            (w4 * right[first + 4] + w5 * right[first + 5]) + (w6 * right[first + 6] + w7 * right[first + 7])
        )


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
