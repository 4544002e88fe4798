"""From the recording of a sweep to an impulse response, with what it is like: decay and noise.

References
----------
ISO 3382-1:2009: T30, from a decay that lies 10 dB and more over the noise.
ISO 18233:2006: impulse responses from swept sines.
"""

from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile as sf
from numpy.typing import NDArray

from highhall.capture.sweep import Sweep
from highhall.effects.decay_time import reverberation_time
from highhall.errors import CoreError
from highhall.interchange.audio_files import AudioFileError, sound_facts

PEAK = 0.9
_ONSET_DB = -30.0
_BEFORE_ONSET_S = 0.002
_NOISE_SHARE = 0.1
_SMOOTH_S = 0.02
_RANGE_DB, _OVER_NOISE_DB = 35.0, 10.0
_LONGEST_S = 60.0


@dataclass(frozen=True, slots=True, eq=False)
class CapturedResponse:
    """An impulse response, (channels, frames), its peak at 0.9.

    decay_s: T30 of all channels together; None where noise hides it. noise_db: the level of its last tenth against its
    peak, in dB. start_s: how long the recording runs before the direct sound.
    """

    samples: NDArray[np.float32]
    sample_rate: int
    decay_s: float | None
    noise_db: float
    start_s: float


def capture_response(recording: Path, sweep: Sweep, seconds: float) -> CapturedResponse:
    """Return what a recording of a sweep says of the room; it may begin before the sweep.

    Parameters
    ----------
    recording: 1, 2 or 4 channels at the sweep's rate: what two microphones heard of the left loudspeaker, then of the
        right one. seconds: the longest response to keep.

    Raises
    ------
    AudioFileError
        If it is no sound file of such channels.
    CoreError
        If it has another rate, is longer than a minute, or does not hold the whole sweep.
    """
    facts = sound_facts(recording, most_channels=None)
    if facts.channels not in (1, 2, 4):
        raise AudioFileError(
            f'"{recording.name}" has {facts.channels} channels; expected 1, 2, or 4: what two microphones '
            "heard of the left loudspeaker, then of the right one"
        )
    rate = sweep.sample_rate
    if facts.sample_rate != rate:
        raise CoreError(f"the recording is at {facts.sample_rate} Hz; expected the sweep's rate, {rate} Hz")
    if facts.frames > _LONGEST_S * rate:
        raise CoreError(f"the recording lasts {facts.frames / rate:.0f} s; expected {_LONGEST_S:.0f} s at the most")
    samples, _ = sf.read(recording, dtype="float64", always_2d=True)
    whole = _responses(sweep, np.asarray(samples.T, np.float64))
    start = max(_onset(whole) - round(_BEFORE_ONSET_S * rate), 0)
    found = whole[:, start : start + round(seconds * rate)]
    peak = float(np.abs(found).max())
    energy = np.sum(np.asarray(found, np.float64) ** 2, axis=0)
    noise = float(np.mean(energy[-max(round(_NOISE_SHARE * len(energy)), 1) :])) / len(found)
    return CapturedResponse(
        samples=np.asarray(PEAK * found / peak, np.float32),
        sample_rate=rate,
        decay_s=_decay_s(energy, rate, noise * len(found)),
        noise_db=10 * float(np.log10(max(noise, 1e-30) / peak**2)),
        start_s=start / rate,
    )


def _responses(sweep: Sweep, recording: NDArray[np.float64]) -> NDArray[np.float32]:
    """Return what every channel says, as long as the recording; one after another, since each takes much memory."""
    seconds = recording.shape[1] / sweep.sample_rate
    sounding = [channel for channel in recording if channel.any()] or [recording[0]]
    found = iter([sweep.response(channel[np.newaxis], seconds) for channel in sounding])
    silent = np.zeros((1, recording.shape[1]), np.float32)
    return np.concatenate([next(found) if channel.any() else silent for channel in recording])


def _onset(response: NDArray[np.float32]) -> int:
    """Return the first sample within 30 dB of the peak: the direct sound, not what a loudspeaker distorts before it."""
    magnitudes = np.abs(response).max(axis=0)
    peak = int(np.argmax(magnitudes))
    near = magnitudes[max(peak - 4096, 0) : peak + 1]
    return max(peak - 4096, 0) + int(np.argmax(near >= magnitudes[peak] * 10 ** (_ONSET_DB / 20)))


def _decay_s(energy: NDArray[np.float64], sample_rate: int, noise: float) -> float | None:
    """Return T30 of what lies well over the noise; None if its whole range does not."""
    width = round(_SMOOTH_S * sample_rate)
    smooth = np.convolve(energy, np.full(width, 1 / width), mode="same")
    if smooth.max() < noise * 10 ** ((_RANGE_DB + _OVER_NOISE_DB) / 10):
        return None
    loud = np.flatnonzero(smooth > noise * 10 ** (_OVER_NOISE_DB / 10))
    try:
        return reverberation_time(energy[: loud[-1] + 1], sample_rate)
    except CoreError:
        return None
