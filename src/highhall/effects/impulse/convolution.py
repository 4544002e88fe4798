"""Convolution without delay, in partitions that grow.

The first 512 taps are summed directly, sample by sample. Taps from B to 8 B are done by FFT in blocks of B for B =
512 and 4096, and all after 32768 in blocks of 32768: a block that is complete gives its part of the next one.
What is computed depends on the stream's own block grid alone, so the size of the blocks it comes in changes no bit.

References
----------
W. G. Gardner, "Efficient convolution without input-output delay", J. Audio Eng. Soc. 43(3), 1995.
F. Wefers, "Partitioned convolution algorithms for real-time auralization", RWTH Aachen, 2015.
"""

from typing import TypeAlias

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy import fft as scipy_fft

from highhall.effects.denormals import flush_denormals, restore_denormals
from highhall.effects.signals import Signal, silence

HEAD = 512
_GROWTH = 8
_LARGEST = 32768

Spectra: TypeAlias = NDArray[np.complex64]


@njit("void(float32[::1], float32[::1], float32[::1], int64)", nogil=True, cache=True, fastmath={"contract"})
def _add_direct(source: Signal, taps: Signal, out: Signal, count: int) -> None:
    """Add the convolution with taps (a multiple of 4 of them) to out, (count,); source has the past before it."""
    past = taps.shape[0] - 1
    old = flush_denormals()
    for tap in range(0, taps.shape[0], 4):
        h0, h1, h2, h3 = taps[tap], taps[tap + 1], taps[tap + 2], taps[tap + 3]
        first = source[past - tap - 3 :]
        for n in range(count):
            out[n] += (h0 * first[n + 3] + h1 * first[n + 2]) + (h2 * first[n + 1] + h3 * first[n])
    restore_denormals(old)


class _Stage:
    """Partitions of one size: taps from `first` to `last` of every path."""

    def __init__(self, taps: Signal, size: int, last: int) -> None:
        self.size = size
        stop = min(last, taps.shape[1])
        count = -(-(stop - size) // size)
        padded = np.zeros((taps.shape[0], count, 2 * size), np.float32)
        for index in range(count):
            part = taps[:, size * (index + 1) : min(size * (index + 2), stop)]
            padded[:, index, : part.shape[1]] = part
        self._spectra: Spectra = scipy_fft.rfft(padded, axis=2).astype(np.complex64, copy=False)
        self._heard: Spectra = np.zeros((2, count, size + 1), np.complex64)
        self._input = np.zeros((2, 2 * size), np.float32)
        self.ready = silence(size)

    def take(self, block: Signal, at: int, paths: tuple[tuple[int, int], ...]) -> None:
        """Take samples that follow; `at` is how many of the block are there already."""
        stop = at + block.shape[1]
        self._input[:, self.size + at : self.size + stop] = block
        if stop == self.size:
            self._heard = np.roll(self._heard, 1, axis=1)
            self._heard[:, 0] = scipy_fft.rfft(self._input, axis=1)
            self._input[:, : self.size] = self._input[:, self.size :]
            total = np.zeros((2, self.size + 1), np.complex64)
            for path, (source, target) in enumerate(paths):
                for spectrum, heard in zip(self._spectra[path], self._heard[source], strict=True):
                    total[target] += spectrum * heard
            self.ready = scipy_fft.irfft(total, 2 * self.size, axis=1)[:, self.size :]


class Convolver:
    """Convolves a stereo stream with a response of 1, 2 or 4 paths, (paths, frames)."""

    def __init__(self, response: Signal) -> None:
        taps = np.repeat(response, 2, axis=0) if response.shape[0] == 1 else response
        self._paths = ((0, 0), (1, 1)) if len(taps) == 2 else ((0, 0), (0, 1), (1, 0), (1, 1))
        head = taps[:, :HEAD]
        self._head = np.ascontiguousarray(np.pad(head, ((0, 0), (0, HEAD - head.shape[1]))))
        self._past = silence(HEAD - 1)
        self._position = 0
        self._stages: list[_Stage] = []
        size = HEAD
        while size < taps.shape[1]:
            last = size * _GROWTH if size < _LARGEST else taps.shape[1]
            self._stages.append(_Stage(taps, size, last))
            size = last

    def process(self, block: Signal) -> Signal:
        """Return the convolved block, (2, frames)."""
        out = np.empty_like(block)
        done = 0
        while done < block.shape[1]:
            count = min(HEAD - self._position % HEAD, block.shape[1] - done)
            out[:, done : done + count] = self._step(np.ascontiguousarray(block[:, done : done + count]))
            done += count
        return out

    def _step(self, part: Signal) -> Signal:
        """Process samples that lie in one block of the smallest size."""
        count = part.shape[1]
        out = silence(count)
        for stage in self._stages:
            at = self._position % stage.size
            out += stage.ready[:, at : at + count]
        source = np.concatenate([self._past, part], axis=1)
        for path, (side, target) in enumerate(self._paths):
            _add_direct(source[side], self._head[path], out[target], count)
        for stage in self._stages:
            stage.take(part, self._position % stage.size, self._paths)
        self._past = source[:, count:]
        self._position += count
        return out
