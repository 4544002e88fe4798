"""The depth models of songs: their stems' spectra by section, kept by content, and tables of them in memory."""

import numpy as np
from django.core.cache import cache

from hallweb.analysis.stems import stored_analysis
from hallweb.songs.files import analyses_folder
from hallweb.songs.models import Stem
from hallweb.songs.sounds import SongSounds, open_responses, open_stems
from highhall.depth import DepthModel, StemTable
from highhall.depth.corrections import Correction
from highhall.depth.flow import digest
from highhall.depth.measuring import Measured
from highhall.depth.sources import hop_count, power_series, section_spans, source_sound, stem_span
from highhall.depth.spectra import Energies, section_energies
from highhall.errors import CoreError
from highhall.interchange.audio_files import written_whole
from highhall.memo import Memo
from highhall.plan import Plan, Track
from highhall.render import Stems

_VERSION = 1
_KEPT = 8
_REMEMBERED_S = 30 * 24 * 3600

Layout = tuple[object, ...]


_tables: Memo[StemTable] = Memo(_KEPT)


def ready_model(sounds: SongSounds, plan: Plan) -> DepthModel | None:
    """Return the depth model of a plan if it can be read at once; see `prepare`."""
    layout = _layout(sounds, plan)
    table = _tables.get(layout)
    if table is None:
        return None
    model = _model(sounds, plan, table, layout)
    return model if model.is_quick else None


def prepare(sounds: SongSounds, plan: Plan) -> None:
    """Work out what the depth model of a plan needs: of stems, spectra that were not kept yet; of chains, their responses."""
    layout = _layout(sounds, plan)
    table = _tables.of(layout, lambda: _table(sounds, plan))
    _ = _model(sounds, plan, table, layout).readings


def model_now(sounds: SongSounds, plan: Plan) -> DepthModel:
    """Return the depth model of a plan, made ready now if it is not.

    Raises
    ------
    CoreError
        If it was forgotten meanwhile.
    """
    model = ready_model(sounds, plan)
    if model is None:
        prepare(sounds, plan)
        model = ready_model(sounds, plan)
    if model is None:
        raise CoreError("the stems are still being read; try again in a moment")
    return model


def remember(sounds: SongSounds, plan: Plan, track_id: str, found: Measured) -> None:
    """Correct what is predicted of a track, in this plan and in those edited from it, by what was measured of it."""
    layout = _layout(sounds, plan)
    table = _tables.of(layout, lambda: _table(sounds, plan))
    corrections = _model(sounds, plan, table, layout).corrected({track_id: found}).corrections
    cache.set(_correction_key(digest(layout), track_id), corrections[track_id], _REMEMBERED_S)


def _model(sounds: SongSounds, plan: Plan, table: StemTable, layout: Layout) -> DepthModel:
    mark = digest(layout)
    keys = {_correction_key(mark, track.id): track.id for track in plan.tracks}
    corrections: dict[str, Correction] = {keys[key]: found for key, found in cache.get_many(keys).items()}
    return DepthModel(plan, table, open_responses(sounds, plan.song.sample_rate), corrections)


def _correction_key(mark: str, track_id: str) -> str:
    """Return what a correction is kept under; mark: the digest of what its table depends on."""
    return f"correction-{_VERSION}-{mark}-{track_id}"


def _layout(sounds: SongSounds, plan: Plan) -> Layout:
    """Return what a table depends on."""
    tracks = tuple((track.id, track.stem, track.start_s) for track in plan.tracks)
    return sounds, plan.song.sample_rate, hop_count(plan), tuple(section_spans(plan)), tracks


def _table(sounds: SongSounds, plan: Plan) -> StemTable:
    stems, hashes = open_stems(sounds, plan.song.sample_rate), sounds.hashes
    rows = {stem.path: stem for stem in Stem.objects.filter(song_id=sounds.song_id)}
    spans, hops = section_spans(plan), hop_count(plan)
    found = {}
    for track in plan.tracks:
        energies = [_energies(track, stems, hashes[track.stem], span, plan.song.sample_rate) for span in spans]
        analysis = stored_analysis(rows[track.stem], plan.song.sample_rate)
        power = power_series(stems.samples(track), plan.song.sample_rate) if analysis is None else analysis.k_power
        found[track.id] = source_sound(track, power, energies, hops)
    return StemTable.of(plan, found)


def _energies(track: Track, stems: Stems, content_hash: str, span: tuple[int, int], sample_rate: int) -> Energies:
    """Return a stem's energies between two samples of the song, read or worked out and kept."""
    first, last = stem_span(track, span, sample_rate)
    path = analyses_folder() / f"{content_hash}-{sample_rate}-{first}-{last}-energies-{_VERSION}.npy"
    if path.exists():
        kept: Energies = np.load(path, allow_pickle=False)
        return kept
    energies = section_energies(stems.samples(track)[:, first:last], sample_rate)
    with written_whole(path) as temporary, temporary.open("wb") as file:
        np.save(file, energies)
    return energies
