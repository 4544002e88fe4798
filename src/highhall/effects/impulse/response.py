"""Impulse responses: reading them, and making of one what an effect asks for.

A response is (1, 2 or 4, frames): mono for both sides, left and right each for its own, or left to left, left to
right, right to left, right to right.
"""

from pathlib import Path
from typing import TypeAlias

import numpy as np
import soundfile as sf
import soxr
from numpy.typing import NDArray

from highhall.curves import raised_cosine
from highhall.effects.decay_time import reverberation_time
from highhall.effects.signals import Signal
from highhall.errors import CoreError
from highhall.interchange.audio_files import AudioFileError, sound_facts
from highhall.plan.model import Effect

Response: TypeAlias = NDArray[np.float32]

LONGEST_S = 20.0
_START_DB = -40.0
_DIRECT_S, _DIRECT_FADE_S = 0.0025, 0.001
_TRIM_FADE_S = 0.01
_LOWEST_HZ, _HIGHEST_HZ = 20.0, 20000.0


def read_response(path: Path, sample_rate: int) -> Response:
    """Read an impulse response at a rate in Hz; what is longer than 20 s is cut.

    Raises
    ------
    AudioFileError
        If it is missing, is not sound, has other than one, two or four channels, or is silent.
    """
    if not path.is_file():
        raise AudioFileError(f'the impulse response "{path.name}" is missing; expected a sound file at {path}')
    facts = sound_facts(path, most_channels=None)
    if facts.channels not in (1, 2, 4):
        raise AudioFileError(
            f'the impulse response "{path.name}" has {facts.channels} channels; expected 1 (mono), 2 (stereo) or 4 (true stereo)'
        )
    samples, rate = sf.read(path, frames=round(LONGEST_S * facts.sample_rate), dtype="float32", always_2d=True)
    if not np.isfinite(samples).all() or not samples.any():
        raise AudioFileError(f'the impulse response "{path.name}" is silent or holds samples that are not numbers')
    if rate != sample_rate:
        samples = soxr.resample(samples, rate, sample_rate, quality="VHQ")
    return np.ascontiguousarray(samples.T, np.float32)


def shaped(response: Response, effect: Effect, sample_rate: int) -> Signal:
    """Return what an impulse effect makes of a response: start, direct sound, length, decay, direction, level.

    Scaled so that steady pink noise on either side gives the power it gets, on average of both.
    """
    out = response[:, lead_frames(response) :].astype(np.float64)
    time = np.arange(out.shape[1]) / sample_rate
    if effect.value("direct") == "remove":
        out *= raised_cosine((time - _DIRECT_S) / _DIRECT_FADE_S)
    if effect.value("trim_s") is not None:
        length = effect.number("trim_s")
        out = out[:, : kept_frames(response, effect, sample_rate)]
        time = time[: out.shape[1]]
        out *= raised_cosine((length - time) / _TRIM_FADE_S)
    scale = effect.number("decay_scale")
    if scale != 1:
        out *= 10 ** (-3 * time * (1 / scale - 1) / _decay_s(out, sample_rate))
    if effect.value("reverse"):
        out = out[:, ::-1]
    sides = 1 if out.shape[0] == 1 else 2  # a mono response's energy is that of one side, fed to one side
    power = pink_power(out, sample_rate) / sides
    if power <= 0:
        raise CoreError(
            f'nothing is left of the impulse response of "{effect.id}"; keep its direct sound or more of its length'
        )
    return np.ascontiguousarray(out / np.sqrt(power), np.float32)


def kept_frames(response: Response, effect: Effect, sample_rate: int) -> int:
    """Return how many samples of a response an impulse effect keeps."""
    frames = int(response.shape[1]) - lead_frames(response)
    return frames if effect.value("trim_s") is None else min(frames, round(effect.number("trim_s") * sample_rate))


def lead_frames(response: Response) -> int:
    """Return where a response begins: how many samples come before the first within -40 dB of the peak."""
    magnitudes = np.abs(response).max(axis=0)
    return int(np.argmax(magnitudes >= magnitudes.max() * 10 ** (_START_DB / 20)))


def pink_power(responses: NDArray[np.float64], sample_rate: int) -> float:
    """Return the power that pink noise of unit power, 20 Hz to 20 kHz, gives through all responses together."""
    size = max(1 << (responses.shape[1] - 1).bit_length(), 1 << 16)
    energy: NDArray[np.float64] = np.sum(np.abs(np.fft.rfft(responses, size, axis=1)) ** 2, axis=0)
    hz = np.fft.rfftfreq(size, 1 / sample_rate)
    inside = (hz >= _LOWEST_HZ) & (hz <= _HIGHEST_HZ)
    weight = 1 / hz[inside]
    return float(np.sum(energy[inside] * weight)) / float(np.sum(weight))


def _decay_s(response: NDArray[np.float64], sample_rate: int) -> float:
    """Return T30 of all sides together; where the recording's noise hides it, of what falls before."""
    energy = np.sum(response**2, axis=0)
    try:
        return reverberation_time(energy, sample_rate)
    except CoreError:
        return float(response.shape[1]) / sample_rate
