"""How wet each instrument is, from its stem: spectra and responses are worked out once and kept."""

import json
from functools import lru_cache

from hallweb.songs.stems import SongSounds, open_responses, open_stems, song_sounds
from highhall.measure import WetReading, distance_m, wetness_of
from highhall.measure.wetness import Spectrum, chain_energy, power_spectrum
from highhall.plan import Plan, Return, Section, document_of, plan_from_document
from highhall.plan.serialise import step_document
from highhall.timing import Position

CRITICAL_DISTANCE_M = 8.0
_BAR_LOW_DB, _BAR_HIGH_DB = -24.0, 6.0


def wet_readings(song_id: int, plan: Plan, section: Section | None) -> list[tuple[WetReading, float | None, float]]:
    """Return each track's reading in a section (None: over the whole song), its distance and its bar, 0 to 1."""
    where = section or Section(id="whole-song", name="Whole song", start=_start(plan), end=plan.song.end)
    sounds = song_sounds(song_id)
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


def _chain_key(return_: Return) -> str:
    return json.dumps([step_document(step) for step in return_.chain if step.kind != "duck"])


def _time_key(plan: Plan) -> str:
    song = document_of(plan)["song"]
    return json.dumps({**song, "sections": []})


def chain_spectrum(sounds: SongSounds, plan: Plan, return_: Return) -> Spectrum:
    """Return a return's energy response by frequency; see `highhall.measure.wetness.chain_energy`."""
    return _energy(_chain_key(return_), _time_key(plan), sounds)


@lru_cache(maxsize=256)
def _energy(chain: str, song: str, sounds: SongSounds) -> Spectrum:
    """Return a chain's energy response, for equal chains once."""
    alone = {"id": "alone", "chain": json.loads(chain)}
    plan = plan_from_document({"format": "high-hall-plan", "version": 1, "song": json.loads(song), "returns": [alone]})
    return chain_energy(plan.returns[0], plan, open_responses(sounds, plan.song.sample_rate))
