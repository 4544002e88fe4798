"""What the model knows of a track's stem: its power along the song, and its spectrum in every section."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from highhall.depth.spectra import Energies, section_energies
from highhall.measure.loudness import HOP_S, HopPowers
from highhall.plan import Plan, Section, Track
from highhall.render import Stems

WHOLE_SONG = "whole-song"


@dataclass(frozen=True, slots=True, eq=False)
class SourceSound:
    """A track's stem before its fader.

    power: (hops of 100 ms of the song,), K-weighted, summed over sides. energies: (sections, 1 or 2, bins), as
    `section_energies` gives them.
    """

    power: NDArray[np.float64]
    energies: Energies


def sections_of(plan: Plan) -> tuple[Section, ...]:
    """Return a plan's sections in time order; the whole song as one where it has none."""
    whole = Section(id=WHOLE_SONG, name="Whole song", start=plan.song.tempos[0].at, end=plan.song.end)
    return tuple(sorted(plan.song.sections, key=lambda section: section.start)) or (whole,)


def section_spans(plan: Plan) -> list[tuple[int, int]]:
    """Return the first and last sample of each of `sections_of`."""
    time = plan.song.time
    return [(time.sample_at(section.start), time.sample_at(section.end)) for section in sections_of(plan)]


def hop_count(plan: Plan) -> int:
    """Return how many hops of 100 ms the song has."""
    return int(-(-plan.song.end_sample // round(HOP_S * plan.song.sample_rate)))


def along_song(power: NDArray[np.floating], start_s: float, hops: int) -> NDArray[np.float64]:
    """Return a stem's power by hop, (hops of the song,), for a stem that starts at `start_s` of the song."""
    gathered = np.concatenate([[0.0], np.cumsum(power, dtype=np.float64)])
    edges = np.arange(hops + 1) - start_s / HOP_S
    inside: NDArray[np.float64] = np.diff(np.interp(edges, np.arange(len(gathered)), gathered))
    return inside


def power_series(samples: NDArray[np.float32], sample_rate: int) -> NDArray[np.float64]:
    """Return the K-weighted power of a stem, summed over sides, in each of its hops of 100 ms, (hops,)."""
    power_of = HopPowers(sample_rate)
    size = 50 * power_of.hop
    blocks = [power_of(samples[:, start : start + size]) for start in range(0, samples.shape[1], size)]
    return np.concatenate(blocks) if blocks else np.zeros(0)


def source_sound(track: Track, power: NDArray[np.floating], energies: Sequence[Energies], hops: int) -> SourceSound:
    """Return what is known of a track from its stem's power by hop and its energies in each section."""
    return SourceSound(along_song(power, track.start_s, hops), np.stack(energies))


def stem_span(track: Track, span: tuple[int, int], sample_rate: int) -> tuple[int, int]:
    """Return the samples of a track's stem that lie between two samples of the song."""
    offset = round(track.start_s * sample_rate)
    first, last = (max(sample - offset, 0) for sample in span)
    return first, last


def sounds_of(plan: Plan, stems: Stems) -> dict[str, SourceSound]:
    """Return what is known of every track, by id, read from the stems themselves."""
    rate, hops, spans = plan.song.sample_rate, hop_count(plan), section_spans(plan)
    found = {}
    for track in plan.tracks:
        samples = stems.samples(track)
        energies = [section_energies(samples[:, slice(*stem_span(track, span, rate))], rate) for span in spans]
        found[track.id] = source_sound(track, power_series(samples, rate), energies, hops)
    return found
