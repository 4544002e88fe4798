"""Integrated loudness of stereo sound.

References
----------
ITU-R BS.1770-4 (2015), Annex 1: K-weighting, 400 ms blocks with 75 % overlap, gates at -70 LUFS and
10 LU below the mean. The filters are given there for 48 kHz; here they are the same analogue shapes by
bilinear transform at any rate.
"""

import math

import numpy as np
from numba import njit, types
from numpy.typing import NDArray
from scipy import signal as scipy_signal

from highhall.effects.denormals import flush_denormals, restore_denormals
from highhall.effects.signals import Coefficients
from highhall.effects.tone.effect import SectionFilter
from highhall.effects.tone.kernel import coefficients_of, keep, section, state_of
from highhall.effects.vectors import READ_ONLY, side_of, sides
from highhall.errors import CoreError

_SHELF_HZ, _SHELF_DB, _SHELF_Q = 1681.974450955533, 3.999843853973347, 0.7071752369554196
_CUT_HZ, _CUT_Q = 38.13547087602444, 0.5003270373238773
HOP_S = 0.1
"""Loudness and what goes with it are known for every hop of this length."""


def k_weighting(sample_rate: int) -> NDArray[np.float64]:
    """Return the two sections of the K filter, (2, 6), as `scipy.signal.sosfilt` takes them."""
    k = math.tan(math.pi * _SHELF_HZ / sample_rate)
    high, band = 10 ** (_SHELF_DB / 20), (10 ** (_SHELF_DB / 20)) ** 0.4996667741545416
    a0 = 1 + k / _SHELF_Q + k * k
    shelf = [
        (high + band * k / _SHELF_Q + k * k) / a0, 2 * (k * k - high) / a0, (high - band * k / _SHELF_Q + k * k) / a0,
        1.0, 2 * (k * k - 1) / a0, (1 - k / _SHELF_Q + k * k) / a0,
    ]  # fmt: skip
    k = math.tan(math.pi * _CUT_HZ / sample_rate)
    a0 = 1 + k / _CUT_Q + k * k
    cut = [1.0, -2.0, 1.0, 1.0, 2 * (k * k - 1) / a0, (1 - k / _CUT_Q + k * k) / a0]
    return np.array([shelf, cut])


def _k_sections(sample_rate: int) -> Coefficients:
    """Return the same as our own filters take them, (2, 5)."""
    return np.delete(k_weighting(sample_rate), 3, axis=1)


def k_gain(hz: NDArray[np.float64], sample_rate: int) -> NDArray[np.float64]:
    """Return the K filter's power gain at each frequency."""
    _, response = scipy_signal.sosfreqz(k_weighting(sample_rate), hz, fs=sample_rate)
    gains: NDArray[np.float64] = np.abs(response) ** 2
    return gains


def k_weighted(audio: NDArray[np.floating], sample_rate: int) -> NDArray[np.float64]:
    """Return sound, (channels, frames), through the K filter."""
    filtered: NDArray[np.float64] = scipy_signal.sosfilt(k_weighting(sample_rate), audio.astype(np.float64), axis=-1)
    return filtered


class KFilter:
    """The K filter, carried on from block to block of several stereo sounds, (sounds, 2, frames)."""

    def __init__(self, sample_rate: int, sounds: int) -> None:
        self._sections, self._sounds = _k_sections(sample_rate), sounds
        self.reset()

    def reset(self) -> None:
        """Begin again, after silence."""
        self._filters = [SectionFilter(self._sections) for _ in range(self._sounds)]

    def __call__(self, block: NDArray[np.float32]) -> NDArray[np.float32]:
        """Return the next block, weighted."""
        return np.stack([filter_.process(sound) for filter_, sound in zip(self._filters, block, strict=True)])


@njit(
    types.void(READ_ONLY, READ_ONLY, types.float64[:, ::1], types.float64[:, ::1], types.float64[::1]),
    nogil=True, cache=True, fastmath={"contract"},
)  # fmt: skip
def _measure_hops(
    left: NDArray[np.float32],
    right: NDArray[np.float32],
    sections: Coefficients,
    states: Coefficients,
    powers: NDArray[np.float64],
) -> None:
    """Write the power of every hop behind two sections, summed over sides, (hops,)."""
    old = flush_denormals()
    hop = left.shape[0] // powers.shape[0]
    first, second = coefficients_of(sections[0]), coefficients_of(sections[1])
    s1, s2 = state_of(states[0]), state_of(states[1])
    for index in range(powers.shape[0]):
        energies = sides(0.0, 0.0)
        for n in range(index * hop, (index + 1) * hop):
            x, s1 = section(sides(left[n], right[n]), first, s1)
            x, s2 = section(x, second, s2)
            energies = energies + x * x
        powers[index] = (side_of(energies, 0) + side_of(energies, 1)) / hop
    keep(states[0], s1)
    keep(states[1], s2)
    restore_denormals(old)


class HopPowers:
    """The K-weighted power of every 100 ms of a sound of one or two sides, carried on from block to block."""

    def __init__(self, sample_rate: int) -> None:
        self.hop = round(HOP_S * sample_rate)
        self._sections = _k_sections(sample_rate)
        self._states = np.zeros((2, 4))

    def __call__(self, block: NDArray[np.float32]) -> NDArray[np.float64]:
        """Return the power of each hop, summed over sides, (hops,). block: (1 or 2, frames); a last hop that is not whole ends in silence."""
        missing = -block.shape[1] % self.hop
        sound = np.pad(block, ((0, 0), (0, missing))) if missing else block
        powers = np.empty(sound.shape[1] // self.hop)
        if powers.size:
            left = np.ascontiguousarray(sound[0], np.float32)
            right = np.ascontiguousarray(sound[1], np.float32) if len(sound) > 1 else np.zeros_like(left)
            _measure_hops(left, right, self._sections, self._states, powers)
        return powers


def integrated_loudness(audio: NDArray[np.floating], sample_rate: int) -> float:
    """Return the gated loudness of (channels, frames) in LUFS; -inf for silence.

    Raises
    ------
    CoreError
        If the sound is shorter than one block of 400 ms.
    """
    hop = round(HOP_S * sample_rate)
    if audio.shape[-1] < 4 * hop:
        raise CoreError(f"loudness needs at least 0.4 s of sound, got {audio.shape[-1] / sample_rate:.2f} s")
    energy = np.sum(k_weighted(audio, sample_rate) ** 2, axis=0)
    return gated_loudness(energy[: len(energy) // hop * hop].reshape(-1, hop).mean(axis=1))


def gated_loudness(hops: NDArray[np.floating]) -> float:
    """Return the gated loudness in LUFS from K-weighted power, summed over sides, of every 100 ms; -inf for silence."""
    if len(hops) < 4:
        return -math.inf
    blocks = np.convolve(hops.astype(np.float64), np.full(4, 0.25), "valid")
    heard = blocks[blocks > _power_of(-70)]
    if not heard.size:
        return -math.inf
    gated = heard[heard > heard.mean() / 10]
    return -0.691 + 10 * math.log10(float(gated.mean()))


def _power_of(lufs: float) -> float:
    return float(10 ** ((lufs + 0.691) / 10))
