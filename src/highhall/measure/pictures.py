"""What a return does, drawn from its own sound: envelope, decay by band, spectrum.

A hit is rendered once through the chain. Band levels come from one short-time spectrum; decays from backward
integration of each octave's share of it.

References
----------
M. R. Schroeder (1965), ISO 3382-1:2009: see `highhall.measure.decay`. IEC 61260-1:2014: bands.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy import fft as scipy_fft

from highhall.curves import EffectCurves
from highhall.effects import NO_RESPONSES, Chain, Response, Signal
from highhall.effects.decay_time import reverberation_time
from highhall.errors import CoreError
from highhall.measure.decay import DecayReading, octaves_hz
from highhall.measure.third_octaves import band_edges_hz
from highhall.plan import Return, Song

ENVELOPE_S = 0.002
LONGEST_S = 20.0
_WINDOW, _HOP = 2048, 512
_IMPULSE = np.float32(1e-3)
_SHORTEST_S = 0.25

Levels = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Picture:
    """A return's answer to a hit of 1 on both sides.

    envelope: (2, steps of 2 ms), the largest magnitude by side. decays: by octave, None where the answer does not
    fall far enough. band_decays_db: (octaves, steps of 512 samples), backward-integrated, 0 dB at the start.
    bands_db: (third octaves,), energy by band against that of the hit.
    """

    sample_rate: int
    envelope: Signal
    decays: tuple[DecayReading, ...]
    band_decays_db: Levels
    bands_db: Levels


def hit_response(
    return_: Return, song: Song, responses: Mapping[str, Response] = NO_RESPONSES, *, side: int | None = None
) -> Signal | None:
    """Return what a chain makes of a hit of 1 on one side or both, (2, frames), until it is 66 dB down; None if silent.

    The hit is small enough to drive nothing. The tempo is that of the song's start; moves and what ducks are left out.
    """
    steady = replace(song, tempos=(replace(song.tempos[0], ramp=False),))
    chain = Chain([EffectCurves(effect, steady) for effect in return_.chain if not effect.source], responses)
    if chain.is_silent:
        return None
    falling_s = (chain.memory_s - chain.longest_gap_s) * 0.6
    seconds = min(max(chain.longest_gap_s + falling_s, _SHORTEST_S), LONGEST_S)
    hit = np.zeros((2, int(seconds * song.sample_rate) + _WINDOW), np.float32)
    hit[slice(None) if side is None else side, 0] = _IMPULSE
    response: Signal = chain.process(hit, 0) / _IMPULSE
    return response


def picture_of(return_: Return, song: Song, responses: Mapping[str, Response] = NO_RESPONSES) -> Picture | None:
    """Return the picture of a return before its fader; None if it is silent."""
    response = hit_response(return_, song, responses)
    return None if response is None else picture_of_response(response, song.sample_rate)


def picture_of_response(response: Signal, rate: int) -> Picture:
    """Return the picture of an answer to a hit of 1 on both sides, (2, frames)."""
    energy = _octave_energy(response, rate)
    remaining = np.cumsum(energy[:, ::-1], axis=1)[:, ::-1]
    start = np.maximum(remaining[:, :1], 1e-30)
    return Picture(
        sample_rate=rate,
        envelope=_envelope(response, rate),
        decays=tuple(_reading(hz, band, rate) for hz, band in zip(octaves_hz(rate), energy, strict=True)),
        band_decays_db=10 * np.log10(np.maximum(remaining / start, 1e-12)),
        bands_db=_bands_db(response, rate),
    )


def _envelope(response: Signal, sample_rate: int) -> Signal:
    step = round(ENVELOPE_S * sample_rate)
    padded = np.pad(np.abs(response), ((0, 0), (0, -response.shape[1] % step)))
    envelope: Signal = padded.reshape(2, -1, step).max(axis=2)
    return envelope


def _octave_energy(response: Signal, sample_rate: int) -> Levels:
    """Return (octaves, frames): both sides' energy by octave around each hop."""
    padded = np.pad(response, ((0, 0), (_WINDOW - _HOP, _WINDOW)))
    windows = np.lib.stride_tricks.sliding_window_view(padded, _WINDOW, axis=1)[:, ::_HOP]
    powers = np.zeros((windows.shape[1], _WINDOW // 2 + 1), np.float32)
    for side in windows:
        spectrum = scipy_fft.rfft(side * np.hanning(_WINDOW).astype(np.float32), axis=1)
        powers += spectrum.real**2 + spectrum.imag**2
    hz = np.arange(_WINDOW // 2 + 1) * (sample_rate / _WINDOW)
    edges = np.array([[centre / 2**0.5, centre * 2**0.5] for centre in octaves_hz(sample_rate)])
    inside = (hz[None] >= edges[:, :1]) & (hz[None] < edges[:, 1:])
    energy: Levels = inside.astype(np.float64) @ powers.T.astype(np.float64)
    return energy


def _reading(centre_hz: float, energy: Levels, sample_rate: int) -> DecayReading:
    try:
        return DecayReading(centre_hz, reverberation_time(energy, sample_rate / _HOP))
    except CoreError:
        return DecayReading(centre_hz, None)


def _bands_db(response: Signal, sample_rate: int) -> Levels:
    """Return each third octave's mean power against that of the hit, which has 1 a side in every bin."""
    size = scipy_fft.next_fast_len(response.shape[1], real=True)
    spectrum = scipy_fft.rfft(response, size, axis=1)
    powers: Levels = (spectrum.real**2 + spectrum.imag**2).astype(np.float64).mean(axis=0)
    edges = np.searchsorted(np.arange(len(powers)) * (sample_rate / size), band_edges_hz())
    sums = np.concatenate([[0.0], np.cumsum(powers)])[edges]
    levels: Levels = 10 * np.log10(np.maximum(np.diff(sums) / np.maximum(np.diff(edges), 1), 1e-12))
    return levels
