"""Small instruments: each turns one note into dry, mono sound.

`play(hz, seconds, note, rng)` returns float64 samples at RATE, longer than `seconds` if the note rings.
"""

import math
from collections.abc import Callable

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy import signal as scipy_signal

from highhall.demo.score import Note

RATE = 48000
Sound = NDArray[np.float64]
Instrument = Callable[[float, float, Note, np.random.Generator], Sound]

_FORMANTS = {  # centre Hz, width Hz, level dB: five resonances of a sung vowel
    "a": ((800, 80, 0), (1150, 90, -6), (2900, 120, -20), (3900, 130, -26), (4950, 140, -40)),
    "e": ((400, 60, 0), (1700, 80, -14), (2600, 100, -16), (3200, 120, -24), (4950, 200, -40)),
    "i": ((350, 50, 0), (2000, 100, -16), (2800, 120, -18), (3600, 150, -28), (4950, 200, -44)),
    "o": ((450, 60, 0), (800, 80, -8), (2830, 100, -20), (3500, 130, -24), (4950, 135, -42)),
    "u": ((325, 50, 0), (700, 60, -14), (2530, 170, -26), (3500, 180, -34), (4950, 200, -46)),
}


@njit("float64[::1](float64[::1], float64, float64, float64, int64)", nogil=True, cache=True)
def _string(burst: Sound, period: float, brightness: float, loss: float, frames: int) -> Sound:
    """Plucked string: a loop of `period` samples with a two-point average, tuned by an all-pass.

    Source: K. Karplus and A. Strong, Computer Music Journal 7(2), 1983; D. Jaffe and J. O. Smith, ibid.
    """
    length = int(period - brightness - 0.1)
    fraction = period - brightness - length
    tuning = (1 - fraction) / (1 + fraction)
    line = np.zeros(length)
    line[: min(length, burst.shape[0])] = burst[: min(length, burst.shape[0])]
    out = np.zeros(frames)
    place, before, passed, tuned = 0, 0.0, 0.0, 0.0
    for n in range(frames):
        value = line[place]
        out[n] = value
        soft = loss * ((1 - brightness) * value + brightness * before)
        before = value
        tuned = tuning * soft + passed - tuning * tuned
        passed = soft
        line[place] = tuned
        place += 1
        if place == length:
            place = 0
    return out


def _envelope(seconds: float, attack_s: float, release_s: float) -> Sound:
    """Rise, hold and fall with half cosines."""
    frames = int((seconds + release_s) * RATE)
    time = np.arange(frames) / RATE
    rise = 0.5 - 0.5 * np.cos(np.pi * np.clip(time / attack_s, 0, 1))
    fall = 0.5 + 0.5 * np.cos(np.pi * np.clip((time - seconds) / release_s, 0, 1))
    return rise * fall


def _phase(
    hz: float, frames: int, rng: np.random.Generator, *, vibrato_hz: float, cents: float, onset_s: float
) -> Sound:
    """Return the phase in cycles of a tone with a late vibrato and a slow drift."""
    time = np.arange(frames) / RATE
    depth = cents * np.clip((time - onset_s) / 0.4, 0, 1)
    drift = 3 * np.sin(2 * np.pi * (0.9 * time + rng.random()))
    bend = depth * np.sin(2 * np.pi * (vibrato_hz * time + rng.random())) + drift
    return np.cumsum(hz * 2 ** (bend / 1200)) / RATE


@njit("float64[::1](float64[::1], float64[::1])", nogil=True, cache=True)
def _weighted_sines(phase: Sound, weights: Sound) -> Sound:
    """Sum weights[k - 1] sin(k theta) by the recurrence sin k t = 2 cos t sin (k - 1) t - sin (k - 2) t."""
    out = np.empty(phase.shape[0])
    for n in range(phase.shape[0]):
        theta = 2 * math.pi * phase[n]
        older, old, twice_cos = 0.0, math.sin(theta), 2 * math.cos(theta)
        total = weights[0] * old
        for k in range(1, weights.shape[0]):
            older, old = old, twice_cos * old - older
            total += weights[k] * old
        out[n] = total
    return out


def _harmonics(phase: Sound, hz: float, levels: Callable[[Sound], Sound]) -> Sound:
    """Sum the harmonics below 16 kHz, weighted by their frequency."""
    count = min(40, int(16000 / hz))
    summed: Sound = _weighted_sines(
        phase, np.ascontiguousarray(levels(hz * np.arange(1, count + 1, dtype=np.float64)), np.float64)
    )
    return summed


def _noise(frames: int, low_hz: float, high_hz: float, rng: np.random.Generator) -> Sound:
    band = scipy_signal.butter(2, (low_hz, high_hz), "bandpass", fs=RATE, output="sos")
    filtered: Sound = scipy_signal.sosfilt(band, rng.standard_normal(frames))
    return filtered


def harp(hz: float, seconds: float, note: Note, rng: np.random.Generator) -> Sound:
    """Pluck a gut string; louder notes are brighter."""
    frames = int((seconds + 0.9) * RATE)
    period = RATE / hz
    burst = scipy_signal.lfilter([1], [1, -0.75 + 0.5 * note.loudness], rng.uniform(-1, 1, int(period)))
    sound = _string(np.ascontiguousarray(burst - burst.mean()), period, 0.42, 0.9965 ** (110 / hz + 0.6), frames)
    damp = np.clip((seconds + 0.9 - np.arange(frames) / RATE) / 0.35, 0, 1)
    played: Sound = sound * damp * note.loudness
    return played


def double_bass(hz: float, seconds: float, note: Note, rng: np.random.Generator) -> Sound:
    """Pluck a low string with a finger; the body adds weight around 100 Hz."""
    frames = int((seconds + 0.15) * RATE)
    period = RATE / hz
    burst = scipy_signal.lfilter([1], [1, -0.93], rng.uniform(-1, 1, int(period)))
    sound = _string(np.ascontiguousarray(burst - burst.mean()), period, 0.5, 0.994, frames)
    body = scipy_signal.butter(2, (60, 400), "bandpass", fs=RATE, output="sos")
    sound = sound + 1.5 * scipy_signal.sosfilt(body, sound)
    damp = np.clip((seconds + 0.15 - np.arange(frames) / RATE) / 0.12, 0, 1)
    played: Sound = sound * damp * note.loudness
    return played


def fiddle(hz: float, seconds: float, note: Note, rng: np.random.Generator) -> Sound:
    """Bow a string: a rich tone through body resonances, with bow noise and vibrato."""
    envelope = _envelope(seconds, 0.09, 0.12)
    phase = _phase(hz, len(envelope), rng, vibrato_hz=5.4, cents=16, onset_s=0.25)

    def levels(frequencies: Sound) -> Sound:
        bodies = sum(
            1 / (1 + ((frequencies - f) / w) ** 2) for f, w in ((290, 60), (460, 90), (1150, 350), (2700, 800))
        )
        return (0.25 + bodies) * (hz / frequencies) ** 1.05

    tone = _harmonics(phase, hz, levels)
    swell = 0.75 + 0.25 * np.sin(np.pi * np.arange(len(envelope)) / len(envelope))
    noise = 0.05 * _noise(len(envelope), 1500, 7000, rng)
    return (tone + noise) * envelope * swell * note.loudness


def low_whistle(hz: float, seconds: float, note: Note, rng: np.random.Generator) -> Sound:
    """Blow a pipe: few harmonics, breath around the tone, a short chiff."""
    envelope = _envelope(seconds, 0.045, 0.07)
    phase = _phase(hz, len(envelope), rng, vibrato_hz=4.8, cents=10, onset_s=0.35)
    tone = _harmonics(phase, hz, lambda f: np.select([f < 1.5 * hz, f < 2.5 * hz, f < 3.5 * hz], [1, 0.28, 0.12], 0.02))
    time = np.arange(len(envelope)) / RATE
    breath = _noise(len(envelope), hz * 0.8, min(hz * 5, 12000), rng) * (0.05 + 0.3 * np.exp(-time / 0.03))
    tremolo = 1 + 0.12 * np.sin(2 * np.pi * 4.8 * time) * np.clip((time - 0.35) / 0.4, 0, 1)
    played: Sound = (tone * tremolo + breath) * envelope * note.loudness
    return played


def harmonium(hz: float, seconds: float, note: Note, rng: np.random.Generator) -> Sound:
    """Sound two reeds a few cents apart under a breathing bellows."""
    envelope = _envelope(seconds, 0.14, 0.18)
    total = np.zeros(len(envelope))
    for cents in (-3.0, 3.5):
        phase = _phase(hz * 2 ** (cents / 1200), len(envelope), rng, vibrato_hz=0.4, cents=1, onset_s=0)
        total += _harmonics(phase, hz, lambda f: (hz / f) ** 0.8 / (1 + (f / 2200) ** 2))
    time = np.arange(len(envelope)) / RATE
    return total * envelope * (1 + 0.1 * np.sin(2 * np.pi * (0.7 * time + rng.random()))) * note.loudness


def voice(hz: float, seconds: float, note: Note, rng: np.random.Generator) -> Sound:
    """Sing a vowel: a glottal tone through formants, with breath and a soft consonant."""
    envelope = _envelope(seconds, 0.07, 0.11)
    phase = _phase(hz, len(envelope), rng, vibrato_hz=5.1, cents=22, onset_s=0.3)

    def levels(frequencies: Sound) -> Sound:
        shape = sum(10 ** (db / 20) / (1 + ((frequencies - f) / w) ** 2) for f, w, db in _FORMANTS[note.vowel])
        return (shape + 0.004) * (hz / frequencies) ** 0.45

    tone = _harmonics(phase, hz, levels)
    tone /= max(float(np.abs(tone).max()), 1e-9)
    time = np.arange(len(envelope)) / RATE
    consonant = 0.16 * _noise(len(envelope), 2500, 8000, rng) * np.exp(-(((time - 0.02) / 0.018) ** 2))
    breath = 0.006 * _noise(len(envelope), 1000, 9000, rng)
    sung: Sound = ((tone + breath) * envelope + consonant) * note.loudness
    return sung


def frame_drum(_hz: float, _seconds: float, note: Note, rng: np.random.Generator) -> Sound:
    """Strike a skin: its modes, falling a little in pitch, and the touch of the hand."""
    time = np.arange(int(0.9 * RATE)) / RATE
    base = 82.0 if note.pitch < 50 else 150.0
    total = np.zeros(len(time))
    for ratio, level, decay_s in (
        (1, 1, 0.24),
        (1.59, 0.5, 0.15),
        (2.14, 0.35, 0.11),
        (2.65, 0.2, 0.08),
        (3.5, 0.12, 0.05),
    ):
        glide = base * ratio * (time + 0.012 * (1 - np.exp(-time / 0.04)))
        total += level * np.sin(2 * np.pi * glide + rng.random()) * np.exp(-time / decay_s)
    slap = _noise(len(time), 400, 4000, rng) * np.exp(-time / (0.012 if note.pitch < 50 else 0.03))
    fade_in = np.clip(time / 0.0015, 0, 1)
    played: Sound = (total + (0.25 if note.pitch < 50 else 0.6) * slap) * fade_in * note.loudness
    return played


def shakers(_hz: float, _seconds: float, note: Note, rng: np.random.Generator) -> Sound:
    """Shake seeds: a burst of grains that swells and stops."""
    time = np.arange(int(0.16 * RATE)) / RATE
    seeds = rng.standard_normal(len(time)) * (rng.random(len(time)) < 0.12)
    grains: Sound = scipy_signal.sosfilt(scipy_signal.butter(2, (3800, 9500), "bandpass", fs=RATE, output="sos"), seeds)
    played: Sound = grains * np.exp(-(((time - 0.045) / 0.03) ** 2)) * note.loudness
    return played


def stones(_hz: float, _seconds: float, note: Note, rng: np.random.Generator) -> Sound:
    """Knock two beach stones: a few inharmonic partials that are gone at once."""
    time = np.arange(int(0.25 * RATE)) / RATE
    base = 1750 * 2 ** ((note.pitch - 72) / 12) * rng.uniform(0.985, 1.015)
    total = sum(
        level * np.sin(2 * np.pi * base * ratio * time) * np.exp(-time / decay_s)
        for ratio, level, decay_s in ((1, 1, 0.028), (1.52, 0.7, 0.02), (2.31, 0.5, 0.014), (3.6, 0.35, 0.008))
    )
    click = rng.standard_normal(len(time)) * np.exp(-time / 0.0012)
    played: Sound = (total + 0.4 * click) * np.clip(time / 0.0003, 0, 1) * note.loudness
    return played


def hz_of(pitch: float) -> float:
    """Return the frequency of a MIDI pitch in equal temperament, A4 = 440 Hz."""
    return 440.0 * math.pow(2, (pitch - 69) / 12)
