"""A first estimate of a song's tempo from where its stems' sounds begin.

Onsets are rises of a stem's level from one 10 ms to the next. The spectrum of all stems' onsets over the
whole song has a peak where they keep time with a pulse; a tempo is scored by its own peak and those of its
second and fourth pulse, and by how common it is. It assumes that the tempo hardly changes.

References
----------
P. Grosche, M. Mueller, "Extracting predominant local pulse information from music recordings", IEEE Trans.
Audio Speech Lang. Process. 19, 1688-1701 (2011): Fourier analysis of onset strength.
D. Moelants, "Preferred tempo reconsidered", ICMPC (2002): tempos people tap gather around 120 a minute.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft as scipy_fft

from highhall.measure.phrases import FRAME_S

SLOWEST, FASTEST = 40.0, 220.0
_STEP = 0.02
_FINER = 16
_USUAL, _OCTAVES = 100.0, 0.5
_HARMONICS = ((1, 1.0), (2, 0.6), (4, 0.3))
_LEAST_RISE_DB = 3.0
_MOST_RISE_DB = 20.0
_LEAST_ONSETS = 12
_RATIOS = (1 / 3, 1 / 2, 2 / 3, 3 / 2, 2, 3)
_NEAR = 0.04

Levels = NDArray[np.floating]
_Values = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class TempoEstimate:
    """Pulses a minute; `others` are pulses that go with it, the likeliest first.

    `certainty`, 0 to 1, is how far it leads the best pulse that has nothing to do with it.
    """

    bpm: float
    others: tuple[float, ...]
    certainty: float


def estimate_tempo(levels_db: Sequence[tuple[float, Levels]]) -> TempoEstimate | None:
    """Return the pulse that a song's stems keep; None if too little begins in them.

    Parameters
    ----------
    levels_db: of each stem, when it starts in seconds and its level every 10 ms in dBFS.
    """
    onsets = [_onsets(start_s, levels) for start_s, levels in levels_db]
    seconds = np.concatenate([at for at, _ in onsets]) if onsets else np.zeros(0)
    weights = np.concatenate([strength for _, strength in onsets]) if onsets else np.zeros(0)
    if len(seconds) < _LEAST_ONSETS:
        return None
    pulses: _Values = np.arange(SLOWEST, FASTEST, _STEP, dtype=np.float64)
    scores: _Values = np.zeros(len(pulses))
    spectrum, at = _spectrum(seconds, weights)
    for times, share in _HARMONICS:
        scores += share * np.interp(pulses * times, at, spectrum)
    scores *= np.exp(-0.5 * (np.log2(pulses / _USUAL) / _OCTAVES) ** 2)
    best = int(np.argmax(scores))
    bpm = float(pulses[best])
    related = [pulse for ratio in _RATIOS if SLOWEST <= (pulse := bpm * ratio) < FASTEST]
    likely = sorted(related, key=lambda pulse: -np.interp(pulse, pulses, scores))
    alone = np.all([np.abs(pulses / pulse - 1) > _NEAR for pulse in (bpm, *related)], axis=0)
    return TempoEstimate(
        bpm=round(bpm, 2),
        others=tuple(round(pulse, 2) for pulse in likely),
        certainty=float(1 - scores[alone].max() / scores[best]),
    )


def _onsets(start_s: float, levels: Levels) -> tuple[_Values, _Values]:
    """Return when a stem's sounds begin, in seconds, and how much each counts."""
    if len(levels) < 3:
        return np.zeros(0), np.zeros(0)
    lowest = float(np.max(levels)) - 40
    rise: _Values = np.diff(np.maximum(levels.astype(np.float64), lowest), prepend=lowest)
    rise[1:] += np.maximum(rise[:-1], 0)  # a rise may take two frames
    following = np.append(rise[1:], 0.0)
    before = np.append(0.0, rise[:-1])
    chosen = np.flatnonzero((rise >= _LEAST_RISE_DB) & (rise >= following) & (rise > before))
    strength: _Values = np.minimum(rise[chosen], _MOST_RISE_DB)
    return start_s + chosen.astype(np.float64) * FRAME_S, strength


def _spectrum(seconds: _Values, weights: _Values) -> tuple[_Values, _Values]:
    """Return how far the onsets keep time with pulses from 0 up, and those pulses a minute."""
    frames = np.round((seconds - seconds.min()) / FRAME_S).astype(np.int64)
    size = 1 << int(np.ceil(np.log2((frames.max() + 1) * _FINER)))
    spectrum: _Values = np.abs(scipy_fft.rfft(np.bincount(frames, weights), size)) / float(weights.sum())
    return spectrum, np.arange(len(spectrum)) * 60 / (size * FRAME_S)
