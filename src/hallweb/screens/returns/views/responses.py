"""Impulse responses that a user brings into a song, or captures there."""

from collections.abc import Sequence

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST, require_safe

from hallweb.inputs import inputs, uploaded
from hallweb.screens.common.context import edited, open_song, refused, sentence_of
from hallweb.screens.returns.responses_panel import responses_context
from hallweb.screens.returns.views.returns import page
from hallweb.songs.captures import KEPT_SECONDS, SWEEP_SECONDS, capture, sweep_file, sweep_for
from hallweb.songs.responses import bring_in, provide_response, response_choices, response_name
from highhall.errors import CoreError
from highhall.plan import Plan
from highhall.plan.edits import add_return, effect_of_kind, free_name


@login_required
@require_POST
def add(request: HttpRequest, song_id: int) -> HttpResponse:
    """Store a file as an impulse response and make a return of it."""
    opened = open_song(request, song_id)
    file = uploaded(request, "file")
    if file is None or not file.name:
        return refused(request, "Choose a sound file to use as an impulse response.")
    try:
        path = bring_in(opened.song, file.name, file.chunks())
    except CoreError as error:
        return refused(request, sentence_of(error))
    return _with_return(request, song_id, path)


@login_required
@require_safe
def sweep(request: HttpRequest, song_id: int) -> HttpResponse:
    """Return the sweep to play in the room, as a WAV file at the song's rate."""
    opened = open_song(request, song_id)
    seconds = _chosen(inputs(request).text("seconds"), SWEEP_SECONDS)
    response = HttpResponse(sweep_file(sweep_for(opened.song, seconds)), content_type="audio/wav")
    response["Content-Disposition"] = f'attachment; filename="sweep {seconds} s {opened.song.sample_rate} Hz.wav"'
    return response


@login_required
@require_POST
def capture_room(request: HttpRequest, song_id: int) -> HttpResponse:
    """Make an impulse response of the recording of a sweep and say what it is like; a button makes a return of it."""
    opened, said = open_song(request, song_id), inputs(request)
    file = uploaded(request, "file")
    if file is None or not file.name:
        return refused(request, "Choose the recording of the sweep.")
    made = sweep_for(opened.song, _chosen(said.text("seconds"), SWEEP_SECONDS))
    kept_s = float(_chosen(said.text("kept"), KEPT_SECONDS))
    try:
        found = capture(opened.song, file.name, file.chunks(), sweep=made, kept_s=kept_s)
    except CoreError as error:
        return refused(request, sentence_of(error))
    context = {
        "song": opened.song,
        **responses_context(opened.song, is_open=True),
        "captured": {"path": found.path, "name": response_name(found.path), "response": found.response},
    }
    return render(request, "returns/responses.html#panel", context)


@login_required
@require_POST
def use(request: HttpRequest, song_id: int) -> HttpResponse:
    """Make a return of a response that ships or that the song has."""
    opened = open_song(request, song_id)
    path = inputs(request).choice("path", dict(response_choices(opened.song)))
    provide_response(opened.song, path)
    return _with_return(request, song_id, path)


def _chosen(text: str, choices: Sequence[int]) -> int:
    """Return one of some numbers, or answer 404."""
    found = {str(each): each for each in choices}.get(text)
    if found is None:
        raise Http404
    return found


def _with_return(request: HttpRequest, song_id: int, path: str) -> HttpResponse:
    """Add a return with an impulse response, and open it."""
    added_id = ""

    def edit(plan: Plan) -> Plan:
        nonlocal added_id
        name = free_name(response_name(path), {r.name for r in plan.returns})
        plan, added_id = add_return(plan, name, (effect_of_kind("impulse", "impulse", {"ir": path}),))
        return plan

    return edited(request, song_id, f"Add {response_name(path)}", edit, lambda state: page(request, state, added_id))
