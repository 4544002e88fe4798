"""How wet each instrument is, from its stem: spectra and responses are worked out once and kept."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

from hallweb.analysis.chains import chain_spectrum
from hallweb.songs.sounds import SongSounds, open_stems, song_sounds
from highhall.measure import distance_m, wetness_of
from highhall.measure.wetness import Spectrum, power_spectrum
from highhall.plan import Plan, Section

CRITICAL_DISTANCE_M = 8.0
_BAR_LOW_DB, _BAR_HIGH_DB = -24.0, 6.0
_LEAST_DB = -90.0


@dataclass(frozen=True, slots=True)
class WetCell:
    """How wet one track is in one section: in dB against its dry sound, as a distance in metres, as a bar from 0 to 1.

    Without `wet_db` the track is silent there; without `distance_m` it feeds nothing that sounds. `dry_power` is that of
    its stem, to find where it is loudest.
    """

    wet_db: float | None
    distance_m: float | None
    bar: float
    dry_power: float


WetTable = Mapping[str, Sequence[WetCell]]
"""By track, a cell for each section in their order; for the whole song where there are no sections."""


def wet_table(song_id: int, plan: Plan) -> WetTable:
    """Return how wet every track is in every section, predicted; it takes seconds where stems were not read yet."""
    sounds = song_sounds(song_id)
    energies = {r.id: chain_spectrum(sounds, plan, r) for r in plan.returns}
    whole = Section(id="whole-song", name="Whole song", start=plan.song.tempos[0].at, end=plan.song.end)
    columns = [_column(sounds, plan, section, energies) for section in plan.song.sections or (whole,)]
    return {track.id: [column[track.id] for column in columns] for track in plan.tracks}


def _column(sounds: SongSounds, plan: Plan, section: Section, energies: Mapping[str, Spectrum]) -> dict[str, WetCell]:
    rate, time = plan.song.sample_rate, plan.song.time
    span = time.sample_at(section.start), time.sample_at(section.end)
    spectra = {
        (track.id, section.id): _spectrum(sounds, track.stem, round(track.start_s * rate), span, rate)
        for track in plan.tracks
    }
    return {
        reading.source: _cell(reading.wet_db, float(spectra[reading.source, section.id].sum()))
        for reading in wetness_of(plan, spectra, energies, section)
    }


def _cell(wet_db: float | None, dry_power: float) -> WetCell:
    distance = None if wet_db is None or wet_db <= _LEAST_DB else distance_m(wet_db, CRITICAL_DISTANCE_M)
    bar = 0.0 if wet_db is None else (wet_db - _BAR_LOW_DB) / (_BAR_HIGH_DB - _BAR_LOW_DB)
    return WetCell(wet_db, distance, max(0.0, min(1.0, bar)), dry_power)


@lru_cache(maxsize=4096)
def _spectrum(sounds: SongSounds, stem: str, offset: int, span: tuple[int, int], sample_rate: int) -> Spectrum:
    samples = open_stems(sounds, sample_rate).by_path(stem)
    first, last = max(span[0] - offset, 0), max(span[1] - offset, 0)
    return power_spectrum(samples[:, first:last], sample_rate)
