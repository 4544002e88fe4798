"""All that the model knows of the stems of a song, side by side: built once, and the same for every plan of the song."""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from highhall.depth.entry import Entry
from highhall.depth.responses import ChainResponse
from highhall.depth.sources import SourceSound, hop_count, section_spans
from highhall.depth.spectra import Energies, k_weights
from highhall.measure.loudness import HOP_S
from highhall.memo import Memo
from highhall.plan import Plan

SILENCE_POWER = 10 ** ((-70 + 0.691) / 10)
"""The absolute gate of BS.1770: what is quieter is a noise floor."""

Powers = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class StemTable:
    """The stems of a song before any fader.

    tracks: row by track id. energies: (tracks, sections, 2, bins), of middle and side; a mono stem has only a middle, which
    is its sound. weighted: (tracks, sections), the K-weighted energy. power: (tracks, hops), K-weighted. spans: samples from
    and to of every section. owner: (hops,), the section that each hop belongs to.
    """

    sample_rate: int
    tracks: Mapping[str, int]
    is_mono: tuple[bool, ...]
    energies: Energies
    weighted: Powers
    power: Powers
    spans: NDArray[np.int64]
    owner: NDArray[np.int64]
    chains: Memo[ChainResponse | None] = field(default_factory=lambda: Memo(256))
    factors: Memo[Powers] = field(default_factory=lambda: Memo(2048))
    levels: Memo[Powers] = field(default_factory=lambda: Memo(2048))
    powers: Memo[Powers] = field(default_factory=lambda: Memo(32768))
    dry: Memo[Powers] = field(default_factory=lambda: Memo(2048))
    entries: Memo[tuple[Entry, ...]] = field(default_factory=lambda: Memo(256))
    sums: Memo[Energies] = field(default_factory=lambda: Memo(1))
    routes: Memo[Powers] = field(default_factory=lambda: Memo(256))

    @classmethod
    def of(cls, plan: Plan, sounds: Mapping[str, SourceSound]) -> "StemTable":
        """Gather the stems of a plan's tracks, by track id."""
        rate, spans = plan.song.sample_rate, np.array(section_spans(plan))
        found = [sounds[track.id] for track in plan.tracks]
        energies = np.zeros((len(found), len(spans), 2, len(k_weights(rate))), np.float32)
        for number, sound in enumerate(found):
            energies[number, :, : sound.energies.shape[1]] = sound.energies
        middles = (np.arange(hop_count(plan)) + 0.5) * HOP_S * rate
        return cls(
            sample_rate=rate,
            tracks={track.id: number for number, track in enumerate(plan.tracks)},
            is_mono=tuple(sound.energies.shape[1] == 1 for sound in found),
            energies=energies,
            weighted=np.sum(energies @ k_weights(rate), axis=2, dtype=np.float64),
            power=np.array([sound.power for sound in found]).reshape(len(found), -1),
            spans=spans,
            owner=np.maximum(np.searchsorted(spans[:, 0], middles, side="right") - 1, 0),
        )

    @property
    def whole(self) -> Energies:
        """The energies of the whole song, (tracks, 2, bins)."""
        return self.sums.of(None, lambda: self.energies.sum(axis=1))

    @property
    def hops(self) -> int:
        """How many hops of 100 ms the song has."""
        return len(self.owner)

    @property
    def is_silent(self) -> NDArray[np.bool_]:
        """Where a stem is silent, (tracks, sections)."""
        silent: NDArray[np.bool_] = self.weighted < SILENCE_POWER * np.diff(self.spans, axis=1)[:, 0]
        return silent

    def middle_sample(self, place: int) -> int:
        """Return the sample in the middle of a section."""
        return int(self.spans[place].sum()) // 2

    def by_section(self, series: Powers) -> Powers:
        """Return the means of series by hop, (rows, hops), over every section, and over all of them, (rows, sections + 1)."""
        gathered = np.concatenate([np.zeros((len(series), 1)), np.cumsum(series, axis=1)], axis=1)
        edges = np.minimum(self.spans / (HOP_S * self.sample_rate), self.hops)
        whole = np.floor(edges).astype(np.int64)
        beyond = np.minimum(whole + 1, self.hops)
        at = gathered[:, whole] + (edges - whole) * (gathered[:, beyond] - gathered[:, whole])
        return with_whole((at[:, :, 1] - at[:, :, 0]) / np.diff(edges, axis=1)[:, 0], self.spans)


def with_whole(powers: Powers, spans: NDArray[np.int64]) -> Powers:
    """Return powers by section, (..., sections), with their mean over all sections as the last one."""
    frames = np.diff(spans, axis=1)[:, 0].astype(np.float64)
    return np.concatenate([powers, (powers @ frames / frames.sum())[..., None]], axis=-1)
