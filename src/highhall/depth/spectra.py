"""The energy of a stretch of sound by frequency, as fine as the modes of a long reverb.

A stretch is transformed whole, and its energies are summed over bins of 1 Hz (wider above 1 kHz). So a held tone that
lies between two modes of a reverb meets what is there, and not the mean of the modes around it.
"""

import math
from functools import lru_cache
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy import fft as scipy_fft

from highhall.measure.loudness import k_gain

FINEST_HZ = 1.0
FINEST_SHARE = 0.001
"""Bins are 1 Hz wide up to 1 kHz; from there on, a thousandth of their frequency."""

Energies = NDArray[np.float32]


@lru_cache(maxsize=8)
def bin_edges_hz(sample_rate: int) -> NDArray[np.float64]:
    """Return the edges of the bins in Hz, (bins + 1,), up to half the rate."""
    highest, turn = sample_rate / 2, FINEST_HZ / FINEST_SHARE
    count = math.ceil(math.log(highest / turn) / FINEST_SHARE)
    return np.concatenate([np.arange(0.0, turn, FINEST_HZ), np.geomspace(turn, highest, count + 1)])


def bin_centres_hz(sample_rate: int) -> NDArray[np.float64]:
    """Return the middle of each bin in Hz, (bins,)."""
    edges = bin_edges_hz(sample_rate)
    return (edges[1:] + edges[:-1]) / 2


@lru_cache(maxsize=8)
def k_weights(sample_rate: int) -> Energies:
    """Return the K filter's power gain in the middle of each bin, (bins,)."""
    return k_gain(bin_centres_hz(sample_rate), sample_rate).astype(np.float32)


RANGE_EDGES_HZ = (0.0, 250.0, 1000.0, 4000.0, math.inf)
"""Ranges in which a chain rings on for times of their own."""


@lru_cache(maxsize=8)
def ranges(sample_rate: int) -> tuple[slice, ...]:
    """Return the bins of each of the ranges."""
    edges = np.searchsorted(bin_centres_hz(sample_rate), RANGE_EDGES_HZ)
    return tuple(slice(int(first), int(last)) for first, last in pairwise(edges))


def middle_and_side(samples: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return a stereo sound, (2, frames), as its middle (L + R) / sqrt 2 and its side (L - R) / sqrt 2."""
    rows: NDArray[np.float32] = np.stack([samples[0] + samples[1], samples[0] - samples[1]]) * np.float32(0.5**0.5)
    return rows


def binned_squares(rows: NDArray[np.float32], sample_rate: int) -> tuple[NDArray[np.float64], NDArray[np.int64], int]:
    """Return sums of the squared magnitudes of the lines in each bin, (rows, bins), the lines' number, and the transform's length.

    Parameters
    ----------
    rows: (rows, frames).
    """
    length = scipy_fft.next_fast_len(max(rows.shape[1], round(sample_rate / FINEST_HZ)), real=True)
    spectrum = scipy_fft.rfft(rows, length, axis=1)
    squares = spectrum.real.astype(np.float64) ** 2 + spectrum.imag.astype(np.float64) ** 2
    edges = np.ceil(bin_edges_hz(sample_rate) * (length / sample_rate)).astype(np.int64)
    return np.add.reduceat(squares[:, : edges[-1]], edges[:-1], axis=1), np.diff(edges), length


def section_energies(samples: NDArray[np.float32], sample_rate: int) -> Energies:
    """Return the energy of a stretch of sound by bin; its sum is that of all squared samples.

    Parameters
    ----------
    samples: (1 or 2, frames).

    Returns
    -------
    (1, bins) of a mono sound; of a stereo one (2, bins), of its middle and of its side.
    """
    rows = samples if samples.shape[0] == 1 else middle_and_side(samples)
    squares, _, length = binned_squares(np.ascontiguousarray(rows), sample_rate)
    return (squares * (2 / length)).astype(np.float32)
