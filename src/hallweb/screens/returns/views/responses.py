"""Impulse responses that a user brings into a song."""

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.views.decorators.http import require_POST

from hallweb.inputs import uploaded
from hallweb.screens.common.context import edited, open_song, refused, sentence_of
from hallweb.screens.returns.context import response_name
from hallweb.screens.returns.views.returns import page
from hallweb.songs.responses import bring_in
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
    added_id = ""

    def edit(plan: Plan) -> Plan:
        nonlocal added_id
        name = free_name(response_name(path), {r.name for r in plan.returns})
        plan, added_id = add_return(plan, name, (effect_of_kind("impulse", "impulse", {"ir": path}),))
        return plan

    return edited(request, song_id, f"Add {response_name(path)}", edit, lambda state: page(request, state, added_id))
