"""The Song screen: tracks over the song's time, and what each stem is like."""

from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_POST, require_safe

from hallweb.analysis import stems
from hallweb.analysis.progress import progress_of
from hallweb.analysis.stems import phrases_in, stored_analysis
from hallweb.analysis.tasks import analyse_again, ask_to_analyse
from hallweb.inputs import inputs, item_or_404, item_or_none
from hallweb.screens.common.context import open_song, refused, show_screen
from hallweb.screens.common.htmx import nothing_to_show
from hallweb.screens.song.context import TEMPLATE, View, song_context, window_context
from hallweb.screens.song.pictures import Window, level_picture, spectrum_bars, spectrum_labels, wave_picture
from hallweb.screens.song.words import decibels, ring_words, warnings_of
from hallweb.songs.actions import SongState
from hallweb.songs.models import Stem
from hallweb.songs.news import of_stem
from highhall.measure import StemAnalysis
from highhall.plan import Plan, Section, Track
from highhall.wording import DECIBELS, EntryError, Quantity

_THRESHOLD = Quantity(unit=DECIBELS, low=-90, high=0)
"""From which level a stem is said to sound."""


@login_required
@require_safe
def show(request: HttpRequest, song_id: int) -> HttpResponse:
    """Show all tracks over the song's sections."""
    opened = open_song(request, song_id)
    return show_screen(request, opened, "song", TEMPLATE, song_context(opened, View.of(opened.plan, inputs(request))))


def _stem_of(opened: SongState, track: Track) -> Stem:
    return get_object_or_404(Stem, song=opened.song, path=track.stem)


@login_required
@require_safe
def reading(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Return what one stem is like; each row asks for its own, again and again until it was listened to."""
    opened = open_song(request, song_id)
    track = item_or_none(opened.plan.tracks, key)
    return _reading_part(request, opened, track) if track else nothing_to_show()


@login_required
@require_safe
def progress(request: HttpRequest, song_id: int) -> HttpResponse:
    """Return how far the analysis of the song's stems has come; it asks again until that is done."""
    opened = open_song(request, song_id)
    used = {track.stem for track in opened.plan.tracks}
    stems_used = list(Stem.objects.filter(song=opened.song, path__in=used))
    context = {"song": opened.song, "progress": progress_of(stems_used, opened.plan.song.sample_rate)}
    return render(request, f"{TEMPLATE}#progress", context)


@login_required
@require_POST
def listen_again(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Listen once more to a stem that could not be listened to, and return its row."""
    opened = open_song(request, song_id)
    track = item_or_404(opened.plan.tracks, key)
    analyse_again(_stem_of(opened, track), opened.plan.song.sample_rate)
    return _reading_part(request, opened, track)


def _reading_part(request: HttpRequest, opened: SongState, track: Track) -> HttpResponse:
    view = View.of(opened.plan, inputs(request))
    context = {"track": track, "song": opened.song, **_reading(opened, track, view.window)}
    return render(request, f"{TEMPLATE}#reading", context)


def _reading(opened: SongState, track: Track, window: Window) -> dict[str, Any]:
    stem = _stem_of(opened, track)
    rate = opened.plan.song.sample_rate
    analysis = stored_analysis(stem, rate)
    context = {**window_context(window), "problem": stem.problem, "analysis": analysis, "news": of_stem(stem.pk)}
    if analysis is None:
        ask_to_analyse([stem], rate)
        return context
    phrases = phrases_in(stem, analysis)
    return {
        **context,
        "wave": wave_picture(window, analysis, track.start_s, phrases),
        "phrases": phrases,
        "loudness": analysis.loudness_lufs(),
        "true_peak_db": decibels(analysis.true_peak),
        "rings": ring_words(analysis),
        "warnings": warnings_of(analysis),
    }


@login_required
@require_safe
def details(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Return all that is known about one stem: its level with the threshold, and figures by section."""
    opened = open_song(request, song_id)
    track = item_or_404(opened.plan.tracks, key)
    return _details(request, opened, track, View.of(opened.plan, inputs(request)))


def _details(request: HttpRequest, opened: SongState, track: Track, view: View) -> HttpResponse:
    stem = _stem_of(opened, track)
    analysis = stored_analysis(stem, opened.plan.song.sample_rate)
    if analysis is None:
        return refused(request, f"{track.name} is waiting to be analysed. Wait a moment, and open it again.")
    found = analysis.threshold_db()
    threshold = found if stem.threshold_db is None else stem.threshold_db
    sections = [_by_section(opened.plan, track, analysis, section) for section in opened.plan.song.sections]
    start, end = _span(opened.plan, track, view.section)
    context = {
        "track": track,
        "song": opened.song,
        "analysis": analysis,
        "level": level_picture(view.window, analysis, track.start_s, threshold),
        "threshold_db": round(threshold, 1),
        "found_db": None if stem.threshold_db is None else round(found, 1),
        "sections": sections,
        "loudest": max((s["loudness"] for s in sections if s["loudness"] is not None), default=0.0),
        "shown": view.section,
        "bars": spectrum_bars(analysis.band_levels_db(start, end)),
        "labels": spectrum_labels(),
        "rings": ring_words(analysis),
        **window_context(view.window),
    }
    return render(request, "song/details.html", context)


def _span(plan: Plan, track: Track, section: Section | None) -> tuple[float, float]:
    """Return a section's start and end in the stem's own seconds; None is the whole stem."""
    if section is None:
        return 0.0, float("inf")
    time = plan.song.time
    return (
        max(time.seconds_at(section.start) - track.start_s, 0.0),
        max(time.seconds_at(section.end) - track.start_s, 0.0),
    )


def _by_section(plan: Plan, track: Track, analysis: StemAnalysis, section: Section) -> dict[str, Any]:
    start, end = _span(plan, track, section)
    loudness = analysis.loudness_lufs(start, end)
    return {"section": section, "loudness": loudness, "correlation": analysis.correlation(start, end)}


@login_required
@require_POST
def set_threshold(request: HttpRequest, song_id: int, key: str) -> HttpResponse:
    """Say from which level a stem sounds, or let it be found again; the row follows."""
    opened = open_song(request, song_id)
    track = item_or_404(opened.plan.tracks, key)
    stem = _stem_of(opened, track)
    text = inputs(request).text("value")
    try:
        value: Any = _THRESHOLD.read(text) if text else None
    except EntryError as error:
        return refused(request, f"Threshold of {track.name}: {error}")
    stems.set_threshold(stem, value)
    view = View.of(opened.plan, inputs(request))
    answer = _details(request, opened, track, view)
    context = {"track": track, "song": opened.song, "is_beside": True}
    row = render(request, f"{TEMPLATE}#reading", context | _reading(opened, track, view.window))
    answer.content += b"<template>" + row.content + b"</template>"
    return answer
