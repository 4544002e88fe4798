"""Power in third-octave bands along a stem.

Power spectra of overlapping Hann windows are summed into bands by how much of each bin lies in a band, so
the bands together hold all power between their outer edges. With a hop of a quarter window the squared
windows add up to a constant, so every moment counts the same.

References
----------
IEC 61260-1:2014, "Octave-band and fractional-octave-band filters": base-ten midband frequencies and edges.
"""

import numpy as np
from numpy.typing import NDArray
from scipy import fft as scipy_fft

CENTRES_HZ = tuple(1000 * 10 ** (n / 10) for n in range(-16, 14))
"""Exact midband frequencies of the bands called 25 Hz to 20 kHz."""

_WINDOW_S = 0.17
_HANN_POWER = 1.5  # the sum of squared Hann windows a quarter apart


class ThirdOctaves:
    """Takes a stem block by block, (channels, frames), and gives the power of every band in every frame.

    Powers are means of squares summed over channels; a frame is `hop` samples.
    """

    def __init__(self, sample_rate: int) -> None:
        self.size = 1 << int(np.floor(np.log2(_WINDOW_S * sample_rate)))
        self.hop = self.size // 4
        self._window = np.hanning(self.size + 1)[: self.size].astype(np.float32)
        self._shares = _band_shares(self.size, sample_rate)
        self._rest: NDArray[np.float32] | None = None
        self._frames: list[NDArray[np.float32]] = []

    def add(self, block: NDArray[np.float32]) -> None:
        """Take the next block."""
        if self._rest is None:  # so that the first samples count as much as the others
            self._rest = np.zeros((block.shape[0], self.size - self.hop), np.float32)
        samples = np.concatenate([self._rest, block], axis=1)
        count = max((samples.shape[1] - self.size) // self.hop + 1, 0)
        if count:
            self._frames.append(self._powers(samples[:, : (count - 1) * self.hop + self.size]))
        self._rest = samples[:, count * self.hop :]

    def finish(self) -> NDArray[np.float32]:
        """Return (frames, bands); the sound is taken as silent after its end."""
        if self._rest is not None:
            self.add(np.zeros((self._rest.shape[0], self.size), np.float32))
        return np.concatenate(self._frames) if self._frames else np.zeros((0, len(CENTRES_HZ)), np.float32)

    def _powers(self, samples: NDArray[np.float32]) -> NDArray[np.float32]:
        windows = np.lib.stride_tricks.sliding_window_view(samples, self.size, axis=1)[:, :: self.hop]
        powers = np.zeros((windows.shape[1], len(CENTRES_HZ)), np.float32)
        for channel in windows:
            spectrum = scipy_fft.rfft(channel * self._window, axis=1)
            powers += (spectrum.real**2 + spectrum.imag**2) @ self._shares
        return powers


def band_edges_hz() -> NDArray[np.float64]:
    """Return the edges of the bands, one more than there are bands."""
    edges: NDArray[np.float64] = 1000 * 10 ** ((np.arange(-16, 15) - 0.5) / 10)
    return edges


def _band_shares(size: int, sample_rate: int) -> NDArray[np.float32]:
    """Return (bins, bands): what part of each bin's squared magnitude is power in each band."""
    width = sample_rate / size
    low = np.arange(size // 2 + 1) * width - width / 2
    edges = band_edges_hz()
    inside = np.minimum(low[:, None] + width, edges[None, 1:]) - np.maximum(low[:, None], edges[None, :-1])
    one_sided = np.full(size // 2 + 1, 2.0)
    one_sided[[0, -1]] = 1.0
    scale = one_sided / (size * (size // 4) * _HANN_POWER)
    shares: NDArray[np.float32] = (np.clip(inside / width, 0, 1) * scale[:, None]).astype(np.float32)
    return shares
