"""What a stem is like before anything is done to it.

One pass over the stem, ten seconds at a time, so memory does not grow with its length. What is kept are
short series along the stem (levels, K-weighted power, products of the sides, third-octave powers), from
which figures of any stretch follow at once: sections may move without listening again.
"""

import math
from dataclasses import dataclass, field, fields, replace
from pathlib import Path
from typing import Self

import numpy as np
from numpy.typing import NDArray
from scipy import signal as scipy_signal

from highhall.measure.loudness import HOP_S, HopPowers, gated_loudness
from highhall.measure.phrases import FRAME_S, SILENCE_DB, Phrase, phrase_threshold_db, phrases_over
from highhall.measure.reverberance import FRAME_S as DECAY_FRAME_S
from highhall.measure.reverberance import Reverberance, band_filter, estimate_reverberance
from highhall.measure.third_octaves import ThirdOctaves
from highhall.measure.true_peak import TruePeak

_BLOCK_S = 10
_FULL_SCALE = 0.9999
_CLIPPED_IN_A_ROW = 3

Samples = NDArray[np.float32]
Series = NDArray[np.float32]


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class StemAnalysis:
    """Facts of one stem. Magnitudes are linear; series run from the stem's start.

    Parameters
    ----------
    levels_db: (frames of 10 ms,), dBFS, the louder side. peaks: the same frames' largest magnitudes.
    k_power: (hops of 100 ms,), K-weighted power summed over sides. products: (3, hops), means of left x left,
    right x right, left x right. bands: (frames of `band_hop` samples, bands), power by third octave.
    decay: (decay_s, uncertainty_s, decays) or nothing.
    """

    sample_rate: int
    frames: int
    channels: int
    peak: float
    true_peak: float
    dc: float
    clipped_samples: int
    band_hop: int
    levels_db: Series
    peaks: Series
    k_power: Series
    products: Series
    bands: Series
    decay: Series = field(default_factory=lambda: np.zeros(0, np.float32))

    @property
    def seconds(self) -> float:
        """How long the stem is."""
        return self.frames / self.sample_rate

    @property
    def reverberance(self) -> Reverberance | None:
        """How reverberant it already is; None if that cannot be told."""
        if not self.decay.size:
            return None
        decay_s, uncertainty_s, decays = self.decay.tolist()
        return Reverberance(decay_s=decay_s, uncertainty_s=uncertainty_s, decays=round(decays))

    def threshold_db(self) -> float:
        """Return the level from which it is said to sound, unless the user says otherwise."""
        return phrase_threshold_db(self.levels_db)

    def phrases(self, threshold_db: float | None = None) -> tuple[Phrase, ...]:
        """Return where it sounds, over a threshold of its own or of the user's."""
        return phrases_over(self.levels_db, self.threshold_db() if threshold_db is None else threshold_db)

    def loudness_lufs(self, start_s: float = 0.0, end_s: float = math.inf) -> float | None:
        """Return the gated loudness of a stretch as it sounds in the centre; None where it is silent."""
        loudness = gated_loudness(_stretch(self.k_power, HOP_S, start_s, end_s))
        return loudness if math.isfinite(loudness) else None

    def correlation(self, start_s: float = 0.0, end_s: float = math.inf) -> float | None:
        """Return the correlation of the sides in a stretch, -1 to 1; None for mono and for silence."""
        left, right, both = (_stretch(p, HOP_S, start_s, end_s).sum(dtype=np.float64) for p in self.products)
        norm = math.sqrt(left * right)
        return float(both / norm) if self.channels == 2 and norm > 1e-9 else None

    def band_levels_db(self, start_s: float = 0.0, end_s: float = math.inf) -> NDArray[np.float64]:
        """Return the mean power of a stretch by third octave in dB re full scale, (bands,); -120 for nothing."""
        powers = _stretch(self.bands, self.band_hop / self.sample_rate, start_s, end_s)
        mean = powers.mean(axis=0, dtype=np.float64) if len(powers) else np.zeros(self.bands.shape[1])
        levels: NDArray[np.float64] = 10 * np.log10(np.maximum(mean, 1e-12))
        return levels

    def overview(self, start_s: float, end_s: float, columns: int) -> Series:
        """Return the largest magnitude in each of `columns` equal stretches between two times; 0 outside of the stem."""
        edges = np.linspace(start_s, end_s, columns + 1) / FRAME_S
        first = np.clip(np.floor(edges[:-1]), 0, len(self.peaks)).astype(int)
        last = np.clip(np.maximum(np.ceil(edges[1:]), first + 1), 0, len(self.peaks)).astype(int)
        return np.array([self.peaks[a:b].max(initial=0.0) for a, b in zip(first, last, strict=True)], np.float32)

    def save(self, path: Path) -> None:
        """Write it to a file; nothing but arrays is in it."""
        with path.open("wb") as file:
            np.savez(file, **{f.name: getattr(self, f.name) for f in fields(self)})

    @classmethod
    def load(cls, path: Path) -> Self:
        """Read what `save` wrote."""
        with np.load(path, allow_pickle=False) as arrays:
            values = {f.name: arrays[f.name] for f in fields(cls)}
        return cls(**{name: value if value.ndim else value.item() for name, value in values.items()})


def analysis_of(samples: Samples, sample_rate: int) -> StemAnalysis:
    """Listen to a stem, (1 or 2, frames), from end to end."""
    listener = Listener(samples.shape[0], sample_rate)
    size = _BLOCK_S * sample_rate
    for start in range(0, samples.shape[1], size):
        listener.add(np.ascontiguousarray(samples[:, start : start + size]))
    found = listener.finish()
    return replace(found, clipped_samples=clipped_samples(samples) if found.peak >= _FULL_SCALE else 0)


class Listener:
    """Listens to a sound block by block; every block but the last is a whole number of hops of 100 ms."""

    def __init__(self, channels: int, sample_rate: int) -> None:
        self._sample_rate, self._frames = sample_rate, 0
        self._frame, self._hop = round(FRAME_S * sample_rate), round(HOP_S * sample_rate)
        self._decay_frame = round(DECAY_FRAME_S * sample_rate)
        self._k_power, self._band = HopPowers(sample_rate), band_filter(sample_rate)
        self._band_state = np.zeros((len(self._band), channels, 2))
        self._parts: list[tuple[NDArray[np.floating], ...]] = []
        self._sums = np.zeros(channels)
        self._bands, self._true_peak = ThirdOctaves(sample_rate), TruePeak()

    def add(self, block: Samples) -> None:
        """Take the next block, (channels, frames)."""
        exact = block.astype(np.float64)
        self._frames += block.shape[1]
        self._sums += exact.sum(axis=1)
        banded, self._band_state = scipy_signal.sosfilt(self._band, exact, zi=self._band_state)
        levels = 10 * np.log10(np.maximum(_means(exact * exact, self._frame).max(axis=0), 10 ** (SILENCE_DB / 10)))
        magnitudes = np.abs(block).max(axis=0)
        peaks = np.maximum.reduceat(magnitudes, np.arange(0, len(magnitudes), self._frame))
        left, right = exact[0], exact[-1]
        products = _means(np.stack([left * left, right * right, left * right]), self._hop)
        k_power = self._k_power(block)
        band_power = _means(banded * banded, self._decay_frame).sum(axis=0)
        self._parts.append((levels, peaks, k_power, products, band_power))
        self._bands.add(block)
        self._true_peak.add(block)

    def finish(self) -> StemAnalysis:
        """Return what was heard; clipped samples are not counted."""
        levels, peaks, k_power, products, band_power = self._series()
        found = estimate_reverberance(band_power)
        return StemAnalysis(
            sample_rate=self._sample_rate,
            frames=self._frames,
            channels=len(self._sums),
            peak=float(peaks.max(initial=0.0)),
            true_peak=self._true_peak.finish(),
            dc=float(np.abs(self._sums / max(self._frames, 1)).max()),
            clipped_samples=0,
            band_hop=self._bands.hop,
            levels_db=levels,
            peaks=peaks,
            k_power=k_power,
            products=products,
            bands=self._bands.finish(),
            decay=np.array([found.decay_s, found.uncertainty_s, found.decays] if found else [], np.float32),
        )

    def _series(self) -> tuple[Series, Series, Series, Series, NDArray[np.float64]]:
        if not self._parts:
            nothing = np.zeros(0, np.float32)
            return nothing, nothing, nothing, np.zeros((3, 0), np.float32), np.zeros(0)
        *kept, band_power = (np.concatenate(parts, axis=-1) for parts in zip(*self._parts, strict=True))
        levels, peaks, k_power, products = (series.astype(np.float32) for series in kept)
        return levels, peaks, k_power, products, band_power


def _means(values: NDArray[np.float64], size: int) -> NDArray[np.float64]:
    """Return the means of stretches of `size` along the last axis, the rest taken as silent."""
    padded = np.pad(values, ((0, 0), (0, -values.shape[1] % size)))
    means: NDArray[np.float64] = padded.reshape(values.shape[0], -1, size).mean(axis=2)
    return means


def _stretch(series: Series, step_s: float, start_s: float, end_s: float) -> Series:
    """Return a series between two times, whole steps; its time axis is the last for one row, else the first."""
    first = max(round(start_s / step_s), 0)
    return series[first:] if math.isinf(end_s) else series[first : max(round(end_s / step_s), first)]


def clipped_samples(samples: Samples) -> int:
    """Return how many samples lie at full scale at least three in a row, on any side."""
    count = 0
    for side in samples:
        full = np.concatenate([[False], (side >= _FULL_SCALE) | (side <= -_FULL_SCALE), [False]])
        edges = np.flatnonzero(full[1:] != full[:-1])
        runs = edges[1::2] - edges[::2]
        count += int(runs[runs >= _CLIPPED_IN_A_ROW].sum())
    return count
