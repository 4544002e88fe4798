"""Undo and redo: the screen that is open is drawn anew."""

from collections.abc import Callable

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_POST

from hallweb.desk.context import STALE, base_revision, refused
from hallweb.desk.views import material, returns, sends
from hallweb.shared.htmx import say_plan_changed
from hallweb.songs import actions
from hallweb.songs.models import Song


@login_required
@require_POST
def undo(request: HttpRequest, song_id: int) -> HttpResponse:
    """Go back one edit."""
    return _step(request, song_id, actions.undo)


@login_required
@require_POST
def redo(request: HttpRequest, song_id: int) -> HttpResponse:
    """Go forward one edit."""
    return _step(request, song_id, actions.redo)


def _step(request: HttpRequest, song_id: int, step: Callable[[int, int], actions.SongState]) -> HttpResponse:
    get_object_or_404(Song.objects.visible_to(request.user), pk=song_id)
    try:
        state = step(song_id, base_revision(request))
    except actions.StaleRevisionError:
        return refused(request, STALE, 409)
    if request.POST.get("view") == "sends":
        return say_plan_changed(sends.sheet(request, state, request.POST.get("section", "")))
    if request.POST.get("view") == "song":
        return say_plan_changed(material.sheet(request, state))
    return say_plan_changed(returns.sheet(request, state, request.POST.get("open", "")))
