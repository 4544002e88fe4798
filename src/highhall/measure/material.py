"""What a stem is like before anything is done to it: level, loudness, faults, and where it sounds.

Phrases are found on the level of every 10 ms: a stretch sounds while it lies over a threshold between the
stem's noise floor and its loud parts, gaps shorter than a breath are closed, clicks are left out.
"""

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from highhall.errors import CoreError
from highhall.measure.loudness import integrated_loudness

FRAME_S = 0.01
_SHORTEST_GAP_S = 0.25
_SHORTEST_PHRASE_S = 0.06
_OVER_FLOOR_DB = 9.0
_UNDER_LOUD_DB = 42.0
_LOUD_FRAMES = 30
_LOWEST_DB = -70.0
_FULL_SCALE = 0.9999
_CLIPPED_IN_A_ROW = 3

Levels = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class Phrase:
    """A stretch in which a stem sounds, in seconds from the stem's start."""

    start_s: float
    end_s: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Material:
    """Facts of one stem. Levels in dBFS, None where there is nothing but silence."""

    seconds: float
    peak_db: float | None
    loudness_lufs: float | None
    dc: float
    clipped_samples: int
    threshold_db: float
    phrases: tuple[Phrase, ...]

    @property
    def sounding_share(self) -> float:
        """How much of the stem's length sounds, 0 to 1."""
        return sum(p.end_s - p.start_s for p in self.phrases) / self.seconds if self.seconds else 0.0


def material_of(samples: NDArray[np.float32], sample_rate: int, threshold_db: float | None = None) -> Material:
    """Return the facts of a stem, (1 or 2, frames); `threshold_db` overrides the one that is found."""
    levels = frame_levels_db(samples, sample_rate)
    if threshold_db is None:
        threshold_db = phrase_threshold_db(levels)
    peak = float(np.abs(samples).max(initial=0.0))
    try:
        loudness = integrated_loudness(_stereo(samples), sample_rate)
    except CoreError:
        loudness = -math.inf
    return Material(
        seconds=samples.shape[1] / sample_rate,
        peak_db=20 * math.log10(peak) if peak > 0 else None,
        loudness_lufs=loudness if math.isfinite(loudness) else None,
        dc=float(max(np.abs(samples.mean(axis=1, dtype=np.float64)), default=0.0)),
        clipped_samples=clipped_samples(samples),
        threshold_db=threshold_db,
        phrases=phrases_over(levels, threshold_db),
    )


def _stereo(samples: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return a mono stem as it sounds in the centre: -3.01 dB a side."""
    return samples if samples.shape[0] == 2 else np.repeat(samples * np.float32(math.sqrt(0.5)), 2, axis=0)


def frame_levels_db(samples: NDArray[np.float32], sample_rate: int) -> Levels:
    """Return the level of every 10 ms in dBFS, the louder side; -120 for silence. The last frame may be short."""
    frame = round(FRAME_S * sample_rate)
    padded = np.pad(samples, ((0, 0), (0, -samples.shape[1] % frame)))
    power = np.mean(padded.reshape(samples.shape[0], -1, frame).astype(np.float64) ** 2, axis=2).max(axis=0)
    levels: Levels = 10 * np.log10(np.maximum(power, 1e-12))
    return levels


def phrase_threshold_db(levels_db: Levels) -> float:
    """Return the level from which a stem is said to sound.

    The noise floor is the 5th percentile of what is not digital silence; loud is what 0.3 s of the stem reach.
    The threshold lies 9 dB over the floor, but never closer than 12 dB to what is loud nor further than 42 dB
    under it, and never under -70 dBFS.
    """
    heard = levels_db[levels_db > -119]
    if not heard.size:
        return 0.0
    floor = float(np.percentile(heard, 5))
    loud = float(np.sort(levels_db)[-min(_LOUD_FRAMES, len(levels_db))])
    return max(min(max(floor + _OVER_FLOOR_DB, loud - _UNDER_LOUD_DB), loud - 12), _LOWEST_DB)


def phrases_over(levels_db: Levels, threshold_db: float) -> tuple[Phrase, ...]:
    """Return where frames of 10 ms lie over a threshold, short gaps closed and clicks left out."""
    sounding = np.concatenate([[False], levels_db > threshold_db, [False]])
    edges = np.flatnonzero(np.diff(sounding.astype(np.int8)))
    phrases: list[Phrase] = []
    for start, end in zip(edges[::2] * FRAME_S, edges[1::2] * FRAME_S, strict=True):
        if phrases and start - phrases[-1].end_s < _SHORTEST_GAP_S:
            phrases[-1] = Phrase(start_s=phrases[-1].start_s, end_s=float(end))
        else:
            phrases.append(Phrase(start_s=float(start), end_s=float(end)))
    return tuple(p for p in phrases if p.end_s - p.start_s >= _SHORTEST_PHRASE_S)


def clipped_samples(samples: NDArray[np.float32]) -> int:
    """Return how many samples lie at full scale at least three in a row, on any side."""
    count = 0
    for side in samples:
        full = np.concatenate([[False], np.abs(side) >= _FULL_SCALE, [False]])
        edges = np.flatnonzero(np.diff(full.astype(np.int8)))
        runs = edges[1::2] - edges[::2]
        count += int(runs[runs >= _CLIPPED_IN_A_ROW].sum())
    return count


def peak_overview(samples: NDArray[np.float32], columns: int) -> NDArray[np.float32]:
    """Return the largest magnitude in each of `columns` equal stretches, (columns,); 0 where there is nothing."""
    edges = np.linspace(0, samples.shape[1], columns + 1).astype(np.int64)
    loudest = np.abs(samples).max(axis=0, initial=0.0)
    return np.array([loudest[a:b].max(initial=0.0) for a, b in pairwise(edges)], np.float32)
