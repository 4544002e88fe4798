"""The Moves screen: values through the song by return, by instrument, or at a glance."""

from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_safe

from hallweb.audition.background import MEASUREMENTS, MeasurementError
from hallweb.audition.loudness import loudness_of
from hallweb.inputs import inputs
from hallweb.screens.common.context import frame_context, open_song, show_screen
from hallweb.screens.common.htmx import nothing_to_show
from hallweb.screens.moves.context import MovesState, moves_context
from hallweb.screens.moves.entry import THROW_DB, THROW_IN, THROW_LENGTH, THROW_OUT
from hallweb.songs.actions import SongState

TEMPLATE = "moves/page.html"


@login_required
@require_safe
def show(request: HttpRequest, song_id: int) -> HttpResponse:
    """Show values through the song by return, by instrument, or the whole song."""
    opened = open_song(request, song_id)
    return show_screen(request, opened, "moves", TEMPLATE, _context(opened, MovesState.of(request, opened.plan)))


def page(request: HttpRequest, opened: SongState) -> HttpResponse:
    """Return the page, drawn anew, without its frame."""
    state = MovesState.of(request, opened.plan)
    context = {**frame_context(opened, "moves"), **_context(opened, state), "is_part": True}
    return render(request, f"{TEMPLATE}#page", context)


def _context(opened: SongState, state: MovesState) -> dict[str, Any]:
    new = {"value": THROW_DB, "length": THROW_LENGTH, "ramp_in": THROW_IN, "ramp_out": THROW_OUT}
    return {**moves_context(opened, state), "new_throw": new}


@login_required
@require_safe
def measured_wet(request: HttpRequest, song_id: int) -> HttpResponse:
    """Return how wet a section is as a whole, measured on its rendered sound; or, until that is done, what asks again."""
    opened = open_song(request, song_id)
    section = inputs(request).item_or_none("section", opened.plan.song.sections)
    if section is None:
        return nothing_to_show()
    start, stop = (opened.plan.song.time.sample_at(position) for position in (section.start, section.end))
    song_id, revision_id = opened.song.pk, opened.revision.pk
    try:
        found = MEASUREMENTS.of(
            f"section-{revision_id}-{start}-{stop}", song_id, loudness_of, song_id, revision_id, start, stop
        )
    except MeasurementError as error:
        return render(request, "moves/glance.html#measured", {"problem": str(error)})
    if found is None:
        return render(request, "moves/glance.html#measuring", {"song": opened.song, "section": section})
    wet, dry = found["wet"], found["dry"]
    wet_db = None if wet is None or dry is None else wet - dry
    return render(request, "moves/glance.html#measured", {"wet_db": wet_db, "lufs": found["full"]})
