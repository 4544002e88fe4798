"""Impulse responses from exponential sine sweeps.

A sweep rises through equal ratios in equal times, so every octave gets the same energy. The recording's spectrum
divided by the sweep's is the response; harmonics that a loudspeaker makes end up before its start and are cut off.

References
----------
A. Farina, "Simultaneous measurement of impulse response and distortion with a swept-sine technique",
108th AES Convention (2000).
S. Mueller, P. Massarani, "Transfer-function measurement with sweeps", J. Audio Eng. Soc. 49(6), 2001: division
of spectra, limited to the band of the sweep.
"""

import math
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray
from scipy import fft as scipy_fft

from highhall.curves import raised_cosine
from highhall.errors import CoreError

Recording: TypeAlias = NDArray[np.floating]

_FADE_IN_OCTAVES, _FADE_OUT_OCTAVES = 0.5, 0.08
_LEVEL = 0.5


@dataclass(frozen=True, slots=True, kw_only=True)
class Sweep:
    """A sweep from `low_hz` to `high_hz`, -6 dBFS."""

    seconds: float = 8.0
    sample_rate: int = 48000
    low_hz: float = 15.0
    high_hz: float = 22000.0

    def samples(self) -> NDArray[np.float64]:
        """Return the sweep, (frames,), faded in over half an octave and out over a twelfth.

        Raises
        ------
        CoreError
            If it is too short to be told from the room, or its band does not fit the sample rate.
        """
        if not (self.seconds >= 1 and 1 < self.low_hz < self.high_hz < self.sample_rate / 2):
            raise CoreError(
                f"a sweep lasts a second or more and rises between two frequencies below half the sample rate, got "
                f"{self.seconds:g} s from {self.low_hz:g} to {self.high_hz:g} Hz at {self.sample_rate} Hz"
            )
        time = np.arange(round(self.seconds * self.sample_rate)) / self.sample_rate
        octaves = math.log2(self.high_hz / self.low_hz)
        slowness = self.seconds / (octaves * math.log(2))
        phase = 2 * np.pi * self.low_hz * slowness * np.expm1(time / slowness)
        passed = octaves * time / self.seconds
        fade = np.minimum(passed / _FADE_IN_OCTAVES, (octaves - passed) / _FADE_OUT_OCTAVES)
        samples: NDArray[np.float64] = _LEVEL * raised_cosine(fade) * np.sin(phase)
        return samples

    def _band(self, hz: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return a band that closes before the sweep's own fades: outside of it division would lift nothing but noise."""
        octaves = np.log2(np.maximum(hz, 1e-3) / self.low_hz)
        above, below = octaves / _FADE_IN_OCTAVES, (math.log2(self.high_hz / self.low_hz) - octaves) / _FADE_OUT_OCTAVES
        return raised_cosine(np.minimum(above, below) - 0.5)

    def response(self, recording: Recording, seconds: float) -> NDArray[np.float32]:
        """Return the impulse response of what lies between the sweep and its recording.

        Parameters
        ----------
        recording: (channels, frames) at the sweep's rate, from the moment the sweep begins, with the room's tail.
        seconds: length wanted.

        Raises
        ------
        CoreError
            If the recording is shorter than the sweep, or silent.
        """
        sweep = self.samples()
        if recording.shape[1] < len(sweep) or not np.any(recording):
            raise CoreError(
                f"the recording holds {recording.shape[1] / self.sample_rate:.2f} s; expected the whole sweep of "
                f"{self.seconds:g} s and what rings on after it"
            )
        size = 2 * scipy_fft.next_fast_len(max(recording.shape[1], len(sweep)), real=True)
        played = scipy_fft.rfft(sweep, size)
        power = np.abs(played) ** 2
        hz: NDArray[np.float64] = np.linspace(0, self.sample_rate / 2, size // 2 + 1)
        inverse = self._band(hz) * np.conj(played) / np.maximum(power, 1e-30)
        found = scipy_fft.irfft(scipy_fft.rfft(recording, size, axis=1) * inverse, size, axis=1)
        return np.ascontiguousarray(found[:, : round(seconds * self.sample_rate)], np.float32)
