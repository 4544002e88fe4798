"""Edits of a song's time: tempos, meters, its end, and maps that come from files."""

import tempfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path, PurePath
from typing import TypeVar

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST, require_safe

from hallweb.access import user_of
from hallweb.analysis.actions import edit_time, stems_end_s
from hallweb.analysis.stems import stored_analysis
from hallweb.inputs import inputs, uploaded
from hallweb.screens.common.context import changed, open_song, refused, sentence_of
from hallweb.screens.song.context import TEMPLATE, page
from hallweb.songs.models import Stem
from highhall.errors import CoreError
from highhall.interchange.midi import read_midi
from highhall.interchange.sections import WAVE_SUFFIXES, read_sections, sections_from_markers
from highhall.measure import estimate_tempo
from highhall.plan import Edit, Plan, Song, Tempo
from highhall.plan import edits as plan_edits
from highhall.timing import NoteValue, Position
from highhall.wording import EntryError, parse_bar, parse_meter, parse_position, parse_tempo, position_in_words

MIDI_SUFFIXES = frozenset({".mid", ".midi", ".smf"})
_LARGEST_TABLE = 8 << 20
_Place = TypeVar("_Place", Position, int)


def _edited(request: HttpRequest, song_id: int, label: str, edit: Edit) -> HttpResponse:
    """Apply an edit of the song's time."""
    return changed(
        request,
        song_id,
        lambda song_id, base: edit_time(song_id, base, label, edit, user_of(request)),
        lambda state: page(request, state),
    )


@login_required
@require_POST
def set_tempo(request: HttpRequest, song_id: int) -> HttpResponse:
    """Add a tempo, or change the one at `old`."""
    open_song(request, song_id)
    said = inputs(request)
    try:
        tempo = Tempo(
            at=said.read("at", parse_position),
            bpm=said.read("bpm", parse_tempo),
            beat=said.read("beat", NoteValue.parse, "1/4"),
            ramp=said.has("ramp"),
        )
        old = said.read("old", parse_position) if said.has("old") else None
    except CoreError as error:
        return refused(request, f"Tempo: {error}")
    if old and said.text("at") == position_in_words(old):  # it stands there rounded, and was not typed anew
        tempo = replace(tempo, at=old)
    if old == Position(1):
        tempo = replace(tempo, at=old, ramp=False)
    return _edited(
        request,
        song_id,
        f"Tempo at {position_in_words(tempo.at)}",
        lambda p: plan_edits.put_tempo(p, tempo, instead_of=old),
    )


@login_required
@require_POST
def remove_tempo(request: HttpRequest, song_id: int) -> HttpResponse:
    """Remove the tempo at `old`."""
    return _removed(request, song_id, parse_position, "Remove the tempo at", plan_edits.remove_tempo)


@login_required
@require_POST
def set_meter(request: HttpRequest, song_id: int) -> HttpResponse:
    """Add a meter, or change the one from bar `old` on."""
    open_song(request, song_id)
    said = inputs(request)
    try:
        bar = said.read("bar", parse_bar)
        old = said.read("old", parse_bar) if said.has("old") else None
        meter = parse_meter(1 if old == 1 else bar, said.text("meter"))
    except EntryError as error:
        return refused(request, f"Meter: {error}")
    label = f"Meter from bar {meter.bar}"
    return _edited(request, song_id, label, lambda plan: plan_edits.put_meter(plan, meter, instead_of=old))


@login_required
@require_POST
def remove_meter(request: HttpRequest, song_id: int) -> HttpResponse:
    """Remove the meter from bar `old` on."""
    return _removed(request, song_id, parse_bar, "Remove the meter from bar", plan_edits.remove_meter)


def _removed(
    request: HttpRequest,
    song_id: int,
    reader: Callable[[str], _Place],
    words: str,
    remove: Callable[[Plan, _Place], Plan],
) -> HttpResponse:
    open_song(request, song_id)
    try:
        place = inputs(request).read("old", reader)
    except EntryError as error:
        return refused(request, str(error))
    return _edited(request, song_id, f"{words} {place}", lambda plan: remove(plan, place))


@login_required
@require_POST
def set_end(request: HttpRequest, song_id: int) -> HttpResponse:
    """Let the song end elsewhere, but not before its stems do."""
    opened = open_song(request, song_id)
    try:
        end = inputs(request).read("end", parse_position)
    except EntryError as error:
        return refused(request, f"End of the song: {error}")
    stems_end = stems_end_s(opened.plan, Stem.objects.filter(song=opened.song))
    needed = opened.plan.song.time.bar_line_after(stems_end)
    if end < needed:
        return refused(request, f"The stems last to bar {needed.bar}; the song cannot end at {end}.")
    return _edited(request, song_id, f"End at {position_in_words(end)}", lambda plan: plan_edits.end_at(plan, end))


@login_required
@require_POST
def import_map(request: HttpRequest, song_id: int) -> HttpResponse:
    """Take tempo, meters and sections from a MIDI file, or sections from a table or a WAV's cue points."""
    opened = open_song(request, song_id)
    file = uploaded(request, "file")
    if file is None or file.name is None:
        return refused(request, "Choose a file: MIDI, CSV, or WAV with cue points.")
    name = PurePath(file.name).name
    suffix = PurePath(name).suffix.lower()
    if suffix not in MIDI_SUFFIXES | WAVE_SUFFIXES | {".csv"}:
        return refused(request, f'"{name}" is none of the files that hold a map; expected .mid, .csv or .wav.')
    if suffix not in WAVE_SUFFIXES and (file.size or 0) > _LARGEST_TABLE:
        return refused(request, f'"{name}" is larger than {_LARGEST_TABLE >> 20} MiB, too large for a map.')
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"map{suffix}"
        with path.open("wb") as target:
            for chunk in file.chunks():
                target.write(chunk)
        try:
            song = _map_from(path, opened.plan.song)
        except CoreError as error:
            return refused(request, sentence_of(error).replace(path.name, name))
    return _edited(request, song_id, f"Map from {name}", lambda plan: plan_edits.take_map(plan, song))


def _map_from(path: Path, song: Song) -> Song:
    """Return a song with the time and sections that a file says."""
    if path.suffix not in MIDI_SUFFIXES:
        return replace(song, sections=read_sections(path, song))
    read = read_midi(path)
    end = max(read.end, song.end)
    sections = sections_from_markers(read.markers, end)
    return replace(song, meters=read.meters, tempos=read.tempos, end=end, sections=sections)


@login_required
@require_safe
def estimate(request: HttpRequest, song_id: int) -> HttpResponse:
    """Return a first estimate of the tempo from the stems' onsets."""
    opened = open_song(request, song_id)
    stems = {stem.path: stem for stem in Stem.objects.filter(song=opened.song)}
    analyses = [
        (track.start_s, stored_analysis(stems[track.stem], opened.plan.song.sample_rate))
        for track in opened.plan.tracks
        if track.stem in stems
    ]
    heard = [(start_s, analysis.levels_db) for start_s, analysis in analyses if analysis]
    context = {"song": opened.song, "tempo": opened.plan.song.tempos[0], "waiting": len(analyses) - len(heard)}
    found = estimate_tempo(heard)
    if found:
        words = "clear" if found.certainty > 0.5 else "likely" if found.certainty > 0.25 else "unsure"
        context |= {"found": [found.bpm, *found.others][:4], "words": words}
    return render(request, f"{TEMPLATE}#estimate", context)
