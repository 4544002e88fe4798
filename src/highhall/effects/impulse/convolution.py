"""Convolution without delay, in cells: overlap-save in partitions as long as a cell.

Nobody plays into the engine, so a cell's whole input is known before any of its output is needed. What is computed depends
on the stream's own grid of cells alone, so the number of cells in a block changes no bit.

References
----------
F. Wefers, "Partitioned convolution algorithms for real-time auralization", RWTH Aachen, 2015, section 5.3.
"""

from typing import TypeAlias

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy import fft as scipy_fft

from highhall.effects.processor import CELL_FRAMES
from highhall.effects.signals import Signal, silence
from highhall.effects.vectors import COUNT, Vector, evens, first_in_turn, last_in_turn, load, odds, store

_BINS = CELL_FRAMES + 1
_STRETCHES = -(-_BINS // COUNT)
_FOUR = 4
"""Cells that share what is read of the taps."""
_CELLS_AT_ONCE = 8
_PAIR = 2 * COUNT
"""Numbers of the real and the imaginary parts of a stretch."""
_SPARE = 2 * _CELLS_AT_ONCE

Parts: TypeAlias = NDArray[np.float32]
"""Spectra in the order in which they are multiplied: (sides, stretches of 16 bins, partitions or cells, real and imaginary, 16)."""


@njit("void(float32[:,:,::1], float32[:,:,:,:,::1], int64)", nogil=True, cache=True)
def _part(spectra: Signal, parts: Parts, first: int) -> None:
    """Write spectra, (cells, sides, real and imaginary parts of bins in turn), to the parts from cell `first` on."""
    for side in range(spectra.shape[1]):
        for stretch in range(_STRETCHES - 1):
            for cell in range(spectra.shape[0]):  # which lie side by side in the parts
                bins, target = spectra[cell, side], parts[side, stretch, first + cell]
                some, more = load(bins, _PAIR * stretch), load(bins, _PAIR * stretch + COUNT)
                store(target[0], 0, evens(some, more)), store(target[1], 0, odds(some, more))
        for cell in range(spectra.shape[0]):  # half the rate stands alone
            for part in range(2):
                parts[side, _STRETCHES - 1, first + cell, part, 0] = spectra[cell, side, 2 * (_BINS - 1) + part]


@njit(nogil=True, cache=True)
def _keep(bins: Signal, stretch: int, real: Vector, imaginary: Vector) -> None:
    """Write a stretch of a spectrum, real and imaginary parts in turn."""
    store(bins, _PAIR * stretch, first_in_turn(real, imaginary))
    store(bins, _PAIR * stretch + COUNT, last_in_turn(real, imaginary))


@njit(
    "void(float32[::1], int64, int64, float32[::1], int64, int64, float32[:,:,::1])",
    nogil=True, cache=True, fastmath={"contract"},
)  # fmt: skip
def _multiply(heard: Signal, slots: int, first: int, taps: Signal, ways: int, partitions: int, made: Signal) -> None:
    """Write to made, (cells, 2, real and imaginary parts in turn), what both sides of some cells are, a multiple of four.

    heard: parts of both sides, `slots` cells long, in which the first of these cells is `first`. taps: (ways, 2, stretches,
    partitions, 2, 16), straight ones first; the second way, if there is one, is from the other side.
    """
    nothing = load(np.zeros(COUNT, np.float32), 0)
    for side, stretch in np.ndindex(2, _STRETCHES):
        for four in range(0, made.shape[0], _FOUR):
            real0 = real1 = real2 = real3 = nothing
            imaginary0 = imaginary1 = imaginary2 = imaginary3 = nothing
            for way in range(ways):
                tap = _PAIR * partitions * ((2 * way + side) * _STRETCHES + stretch)
                newest = _PAIR * (slots * ((side ^ way) * _STRETCHES + stretch) + first + four)
                then1, other1 = load(heard, newest + _PAIR), load(heard, newest + _PAIR + COUNT)
                then2, other2 = load(heard, newest + 2 * _PAIR), load(heard, newest + 2 * _PAIR + COUNT)
                then3, other3 = load(heard, newest + 3 * _PAIR), load(heard, newest + 3 * _PAIR + COUNT)
                for at in range(0, _PAIR * partitions, _PAIR):
                    real, imaginary = load(taps, tap + at), load(taps, tap + at + COUNT)
                    then0, other0 = load(heard, newest - at), load(heard, newest - at + COUNT)
                    real0 = real0 + real * then0 - imaginary * other0
                    real1 = real1 + real * then1 - imaginary * other1
                    real2 = real2 + real * then2 - imaginary * other2
                    real3 = real3 + real * then3 - imaginary * other3
                    imaginary0 = imaginary0 + real * other0 + imaginary * then0
                    imaginary1 = imaginary1 + real * other1 + imaginary * then1
                    imaginary2 = imaginary2 + real * other2 + imaginary * then2
                    imaginary3 = imaginary3 + real * other3 + imaginary * then3
                    then3, then2, then1 = then2, then1, then0
                    other3, other2, other1 = other2, other1, other0
            _keep(made[four, side], stretch, real0, imaginary0)
            _keep(made[four + 1, side], stretch, real1, imaginary1)
            _keep(made[four + 2, side], stretch, real2, imaginary2)
            _keep(made[four + 3, side], stretch, real3, imaginary3)


class Convolver:
    """Convolves a stereo stream with a response of 1, 2 or 4 paths, (paths, frames)."""

    def __init__(self, response: Signal) -> None:
        # Straight paths first, then those across, by the side that they go to: left-left, right-right, right-left, left-right.
        taps = response[[0, 3, 2, 1]] if len(response) == 4 else np.resize(response, (2, response.shape[1]))
        count = -(-int(taps.shape[1]) // CELL_FRAMES)
        padded = np.zeros((len(taps), count, 2 * CELL_FRAMES), np.float32)
        for index in range(count):
            part = taps[:, index * CELL_FRAMES : (index + 1) * CELL_FRAMES]
            padded[:, index, : part.shape[1]] = part
        spectra = np.ascontiguousarray(scipy_fft.rfft(padded, axis=2).swapaxes(0, 1))
        self._taps: Parts = np.zeros((len(taps), _STRETCHES, count, 2, COUNT), np.float32)
        _part(spectra.view(np.float32), self._taps, 0)
        self._past = count - 1
        self._filled = self._past
        self._heard: Parts = np.zeros((2, _STRETCHES, 2 * count + _SPARE, 2, COUNT), np.float32)
        self._input = silence(CELL_FRAMES)  # the cell before, and what has come of the one at work

    def process(self, block: Signal) -> Signal:
        """Return the convolved block, (2, frames).

        A cell that a block leaves unfinished is worked out again, with all of its input, for the block that goes on in it.
        """
        known = np.concatenate([self._input, block], axis=1)
        before = self._input.shape[1] - CELL_FRAMES
        cells = -(-(known.shape[1] - CELL_FRAMES) // CELL_FRAMES)
        rest = (cells + 1) * CELL_FRAMES - known.shape[1]
        if rest:
            known = np.pad(known, ((0, 0), (0, rest)))
        windows = np.lib.stride_tricks.sliding_window_view(known, 2 * CELL_FRAMES, axis=1)[:, ::CELL_FRAMES]
        out = np.empty((2, cells, CELL_FRAMES), np.float32)
        for first in range(0, cells, _CELLS_AT_ONCE):
            stretch = slice(first, first + _CELLS_AT_ONCE)
            out[:, stretch] = self._convolved(windows[:, stretch].swapaxes(0, 1)).swapaxes(0, 1)
        if rest:
            self._filled -= 1
        kept = cells - 1 if rest else cells
        self._input = known[:, kept * CELL_FRAMES : known.shape[1] - rest].copy()
        return np.ascontiguousarray(out.reshape(2, -1)[:, before : before + block.shape[1]])

    def _convolved(self, windows: Signal) -> Signal:
        """Return what comes out in cells, (cells, 2, frames), for their input and that of the cell before each, (cells, 2, 2 * frames)."""
        cells = len(windows)
        first = self._room()
        _part(scipy_fft.rfft(windows, axis=2).view(np.float32), self._heard, first)
        made = np.empty((-(-cells // _FOUR) * _FOUR, 2, _STRETCHES * _PAIR), np.float32)
        heard, taps = self._heard.reshape(-1), self._taps.reshape(-1)
        paths, _, partitions = self._taps.shape[:3]
        _multiply(heard, self._heard.shape[2], first, taps, paths // 2, partitions, made)
        self._filled += cells
        spectra = made[:cells].view(np.complex64)[:, :, :_BINS]
        out: Signal = scipy_fft.irfft(spectra, 2 * CELL_FRAMES, axis=2)[:, :, CELL_FRAMES:]
        return out

    def _room(self) -> int:
        """Return where cells go that come next, after as many as the partitions need; they slide through a buffer twice that long."""
        past, slots = self._past, self._heard.shape[2]
        if self._filled + _CELLS_AT_ONCE > slots:
            self._heard[:, :, :past] = self._heard[:, :, self._filled - past : self._filled].copy()
            self._filled = past
        return self._filled
