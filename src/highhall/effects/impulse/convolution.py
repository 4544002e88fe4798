"""Convolution without delay, in partitions that grow.

The first 512 taps are summed directly, sample by sample. Those up to 8192 are done by FFT in blocks of 512, all
after that in blocks of 8192: a block that is complete gives its part of the next one.
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

HEAD, _LARGE = 512, 8192
_AT_ONCE = 1024
_BINS_AT_ONCE = 512
_SPARE = 8

Spectra: TypeAlias = NDArray[np.complex64]


@njit("void(float32[::1], float32[::1], float32[::1], int64)", nogil=True, cache=True, fastmath={"contract"})
def _add_direct(source: Signal, taps: Signal, out: Signal, count: int) -> None:
    """Add the convolution with taps (a multiple of 4 of them) to out, (count,); source has the past before it."""
    past = taps.shape[0] - 1
    old = flush_denormals()
    for start in range(0, count, _AT_ONCE):  # what the first cache holds
        part = min(_AT_ONCE, count - start)
        target = out[start : start + part]
        for tap in range(0, taps.shape[0], 4):
            h0, h1, h2, h3 = taps[tap], taps[tap + 1], taps[tap + 2], taps[tap + 3]
            first = source[start + past - tap - 3 :]
            for n in range(part):
                target[n] += (h0 * first[n + 3] + h1 * first[n + 2]) + (h2 * first[n + 1] + h3 * first[n])
    restore_denormals(old)


@njit(
    "void(complex64[:,:,::1], complex64[:,:,::1], complex64[:,:,::1], int64)", nogil=True, cache=True, fastmath={"contract"}
)  # fmt: skip
def _add_products(heard: Spectra, spectra: Spectra, total: Spectra, crossed: int) -> None:
    """Add to total (blocks, 2, bins) what partitions (2, partitions, bins) make of heard (partitions - 1 + blocks, 2, bins).

    crossed: 1 if each side hears the other one. A stretch of bins stays in the cache over all partitions.
    """
    partitions, bins = spectra.shape[1], spectra.shape[2]
    for block in range(total.shape[0]):
        for side in range(2):
            for first in range(0, bins, _BINS_AT_ONCE):
                count = min(_BINS_AT_ONCE, bins - first)
                out = total[block, side, first:]
                for partition in range(partitions):
                    taps = spectra[side, partition, first:]
                    then = heard[partitions - 1 + block - partition, side ^ crossed, first:]
                    for k in range(count):
                        out[k] += taps[k] * then[k]


class _Stage:
    """Partitions of one size: taps from `size` to `last` of every path, straight ones first, (2 or 4, frames)."""

    def __init__(self, taps: Signal, size: int, last: int) -> None:
        self._size = size
        stop = min(last, taps.shape[1])
        count = -(-(stop - size) // size)
        padded = np.zeros((taps.shape[0], count, 2 * size), np.float32)
        for index in range(count):
            part = taps[:, size * (index + 1) : min(size * (index + 2), stop)]
            padded[:, index, : part.shape[1]] = part
        self._spectra: Spectra = scipy_fft.rfft(padded, axis=2).astype(np.complex64, copy=False)
        self._past = self._filled = count - 1
        self._heard: Spectra = np.zeros((2 * count + _SPARE, 2, size + 1), np.complex64)
        self._input = silence(size)  # the block before, and what there is of the one that comes
        self._ready = silence(size)

    def process(self, block: Signal) -> Signal:
        """Return these taps' part of the output, (2, frames), for the samples of the block."""
        size, at = self._size, self._input.shape[1] - self._size
        known = np.concatenate([self._input, block], axis=1)
        complete = known.shape[1] // size - 1
        if complete == 0:
            self._input = known
            ready: Signal = self._ready[:, at : at + block.shape[1]]
            return ready
        windows = np.lib.stride_tricks.sliding_window_view(known, 2 * size, axis=1)[:, ::size][:, :complete]
        made = self._convolved(scipy_fft.rfft(windows.swapaxes(0, 1), axis=2))
        self._input = known[:, complete * size :].copy()
        out: Signal = np.concatenate([self._ready, *made], axis=1)[:, at : at + block.shape[1]]
        self._ready = made[-1]
        return out

    def _convolved(self, spectra: Spectra) -> Signal:
        """Return what complete blocks, (blocks, 2, bins), give to the ones after them, (blocks, 2, size)."""
        heard = self._with_past(spectra)
        total = np.zeros_like(spectra)
        _add_products(heard, self._spectra[:2], total, 0)
        if len(self._spectra) == 4:
            _add_products(heard, self._spectra[2:], total, 1)
        made: Signal = scipy_fft.irfft(total, 2 * self._size, axis=2)[:, :, self._size :]
        return made

    def _with_past(self, spectra: Spectra) -> Spectra:
        """Return the spectra after as many as the other partitions need; they slide through a buffer twice that long."""
        past, blocks = self._past, len(spectra)
        if self._filled + blocks > len(self._heard):
            last = self._heard[self._filled - past : self._filled].copy()
            if past + blocks > len(self._heard):
                self._heard = np.zeros((past + blocks, *self._heard.shape[1:]), np.complex64)
            self._heard[:past] = last
            self._filled = past
        self._heard[self._filled : self._filled + blocks] = spectra
        self._filled += blocks
        return self._heard[self._filled - blocks - past : self._filled]


class Convolver:
    """Convolves a stereo stream with a response of 1, 2 or 4 paths, (paths, frames)."""

    def __init__(self, response: Signal) -> None:
        # Straight paths first, then those across, by the side that they go to: left-left, right-right, right-left, left-right.
        taps = response[[0, 3, 2, 1]] if len(response) == 4 else np.resize(response, (2, response.shape[1]))
        self._paths = ((0, 0), (1, 1), (1, 0), (0, 1))[: len(taps)]
        head = taps[:, :HEAD]
        self._head = np.ascontiguousarray(np.pad(head, ((0, 0), (0, HEAD - head.shape[1]))))
        self._past = silence(HEAD - 1)
        self._stages: list[_Stage] = []
        for size, last in ((HEAD, _LARGE), (_LARGE, taps.shape[1])):
            if size < taps.shape[1]:
                self._stages.append(_Stage(taps, size, last))

    def process(self, block: Signal) -> Signal:
        """Return the convolved block, (2, frames)."""
        frames = block.shape[1]
        out = silence(frames)
        for stage in self._stages:
            out += stage.process(block)
        known = np.concatenate([self._past, block], axis=1)
        for path, (source, target) in enumerate(self._paths):
            _add_direct(known[source], self._head[path], out[target], frames)
        self._past = known[:, frames:].copy()
        return out
