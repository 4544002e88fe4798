"""A simulated room: the stand-in for a real one that answers a sweep.

Image sources of a shoebox, each at its exact distance, for two loudspeakers and two microphones. Walls take
away the same share of all frequencies; air and plaster are modelled by a first-order loss that grows with time
above 4 kHz; microphones hear nothing far below 30 Hz. A little noise comes with every recording.

References
----------
J. B. Allen, D. A. Berkley, "Image method for efficiently simulating small-room acoustics", J. Acoust. Soc.
Am. 65(4), 1979. C. F. Eyring, "Reverberation time in dead rooms", J. Acoust. Soc. Am. 1 (1930).
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy import signal as scipy_signal

from highhall.effects.reverb.early import SPEED_OF_SOUND_M_S

_FINER = 8
_NOISE_DB = -90.0

_Points = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class Room:
    """A shoebox: `size` in metres (across, along, high) and the decay it is to have, by Eyring's formula."""

    size: tuple[float, float, float]
    decay_s: float
    speakers: tuple[tuple[float, float, float], tuple[float, float, float]]
    microphones: tuple[tuple[float, float, float], tuple[float, float, float]]

    @property
    def reflection(self) -> float:
        """The pressure that each wall gives back, so that the room decays in `decay_s`."""
        across, along, high = self.size
        volume, surface = across * along * high, 2 * (across * along + along * high + across * high)
        absorbed = 24 * math.log(10) * volume / (SPEED_OF_SOUND_M_S * surface * self.decay_s)
        return math.exp(-absorbed / 2)

    def response(self, sample_rate: int, seconds: float | None = None) -> NDArray[np.float64]:
        """Return its impulse responses, (4, frames): left to left, left to right, right to left, right to right."""
        return _response(self, sample_rate, round((self.decay_s * 1.2 if seconds is None else seconds) * sample_rate))

    def path(self, speaker: _Points, microphone: _Points, frames: int, sample_rate: int) -> NDArray[np.float64]:
        """Return one path, (frames,): all images nearer than it is long, summed on a grid finer than the samples."""
        room, reach = np.array(self.size), frames / sample_rate * SPEED_OF_SOUND_M_S
        axes = []
        for speaker_at, microphone_at, width in zip(speaker, microphone, room, strict=True):
            count = math.ceil(reach / (2 * width)) + 1
            cells = np.arange(-count, count + 1)
            straight = 2 * cells * width + speaker_at - microphone_at, np.abs(2 * cells)
            mirrored = 2 * cells * width - speaker_at - microphone_at, np.abs(2 * cells - 1)
            axes.append(tuple(np.concatenate(pair) for pair in zip(straight, mirrored, strict=True)))
        (x, bounces_x), (y, bounces_y), (z, bounces_z) = axes
        fine = np.zeros(frames * _FINER)
        floor = (x[:, None] ** 2 + y[None, :] ** 2, bounces_x[:, None] + bounces_y[None, :])
        for height, bounces in zip(z, bounces_z, strict=True):
            distance = np.sqrt(floor[0] + height**2)
            near = distance < reach
            place = np.round(distance[near] / SPEED_OF_SOUND_M_S * sample_rate * _FINER).astype(np.int64)
            level = self.reflection ** (floor[1][near] + bounces) / distance[near]
            inside = place < len(fine)
            fine += np.bincount(place[inside], level[inside], len(fine))
        path = _FINER * scipy_signal.resample_poly(fine, 1, _FINER)[:frames]
        return self._aired(scipy_signal.sosfilt(_microphone(sample_rate), path), sample_rate)

    def _aired(self, path: NDArray[np.float64], sample_rate: int) -> NDArray[np.float64]:
        """Let highs fade a second time: the part above 4 kHz decays in two thirds of the time."""
        low_pass = scipy_signal.butter(1, 4000, fs=sample_rate, output="sos")
        low = scipy_signal.sosfilt(low_pass, path)
        time = np.arange(len(path)) / sample_rate
        aired: NDArray[np.float64] = low + (path - low) * 10 ** (-3 * time * 0.5 / self.decay_s)
        return aired

    def answer(self, played: NDArray[np.float64], sample_rate: int, seed: int = 0) -> NDArray[np.float64]:
        """Return what the microphones hear of each loudspeaker in turn, (4, frames), with a little noise."""
        heard = np.stack([scipy_signal.fftconvolve(played, path) for path in self.response(sample_rate)])
        noise = np.random.default_rng(seed).standard_normal(heard.shape)
        recording: NDArray[np.float64] = heard + np.abs(heard).max() * 10 ** (_NOISE_DB / 20) * noise
        return recording


def _microphone(sample_rate: int) -> NDArray[np.float64]:
    """Return what a microphone leaves out: everything far below 30 Hz."""
    sections: NDArray[np.float64] = scipy_signal.butter(2, 30, "highpass", fs=sample_rate, output="sos")
    return sections


@lru_cache(maxsize=4)
def _response(room: Room, sample_rate: int, frames: int) -> NDArray[np.float64]:
    paths = np.stack(
        [room.path(np.array(s), np.array(m), frames, sample_rate) for s in room.speakers for m in room.microphones]
    )
    paths.flags.writeable = False
    return paths


ROOMS: Mapping[str, Room] = {
    "tiled-washroom": Room(
        size=(3.1, 4.7, 2.6), decay_s=1.1, speakers=((0.9, 1.0, 1.3), (2.2, 1.1, 1.3)),
        microphones=((1.2, 3.3, 1.5), (1.7, 3.4, 1.5)),
    ),
    "stairwell": Room(
        size=(4.2, 5.6, 9.8), decay_s=2.3, speakers=((1.1, 1.3, 1.4), (3.0, 1.2, 1.4)),
        microphones=((1.6, 4.1, 5.2), (2.5, 4.0, 5.2)),
    ),
    "timber-hall": Room(
        size=(14.0, 22.0, 8.5), decay_s=1.5, speakers=((5.2, 4.0, 1.6), (9.1, 4.1, 1.6)),
        microphones=((6.5, 13.2, 2.1), (7.6, 13.1, 2.1)),
    ),
}  # fmt: skip
"""Invented rooms whose responses ship as examples."""
