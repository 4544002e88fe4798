"""How wet each instrument is, from its stem: spectra and responses are worked out once and kept."""

from functools import lru_cache

from hallweb.analysis.chains import chain_spectrum
from hallweb.songs.sounds import SongSounds, open_stems, song_sounds
from highhall.measure import WetReading, distance_m, wetness_of
from highhall.measure.wetness import Spectrum, power_spectrum
from highhall.plan import Plan, Section
from highhall.timing import Position

CRITICAL_DISTANCE_M = 8.0
_BAR_LOW_DB, _BAR_HIGH_DB = -24.0, 6.0


Readings = list[tuple[WetReading, float | None, float]]
"""Each track's reading, its distance and its bar, 0 to 1."""


def wet_readings(song_id: int, plan: Plan, section: Section | None) -> Readings:
    """Return the readings in a section; None is the whole song."""
    where = section or Section(id="whole-song", name="Whole song", start=_start(plan), end=plan.song.end)
    return _readings(song_sounds(song_id), plan, where)


def wet_readings_by_section(song_id: int, plan: Plan) -> list[Readings]:
    """Return the readings in each of the song's sections."""
    sounds = song_sounds(song_id)
    return [_readings(sounds, plan, section) for section in plan.song.sections]


def _readings(sounds: SongSounds, plan: Plan, where: Section) -> Readings:
    span = plan.song.time.sample_at(where.start), plan.song.time.sample_at(where.end)
    spectra = {
        (track.id, where.id): _spectrum(sounds, track.stem, round(track.start_s * plan.song.sample_rate), span, plan.song.sample_rate)
        for track in plan.tracks
    }  # fmt: skip
    energies = {r.id: chain_spectrum(sounds, plan, r) for r in plan.returns}
    readings = []
    for reading in wetness_of(plan, spectra, energies, where):
        wet = reading.wet_db if reading.wet_db is not None and reading.wet_db > -90 else None
        distance = None if wet is None else distance_m(wet, CRITICAL_DISTANCE_M)
        bar = 0.0 if wet is None else (wet - _BAR_LOW_DB) / (_BAR_HIGH_DB - _BAR_LOW_DB)
        readings.append((reading, distance, max(0.0, min(1.0, bar))))
    return readings


def _start(plan: Plan) -> Position:
    return plan.song.sections[0].start if plan.song.sections else plan.song.tempos[0].at


@lru_cache(maxsize=4096)
def _spectrum(sounds: SongSounds, stem: str, offset: int, span: tuple[int, int], sample_rate: int) -> Spectrum:
    samples = open_stems(sounds, sample_rate).by_path(stem)
    first, last = max(span[0] - offset, 0), max(span[1] - offset, 0)
    return power_spectrum(samples[:, first:last], sample_rate)
