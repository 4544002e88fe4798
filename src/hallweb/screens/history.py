"""Undo and redo, after which the open screen is drawn anew; what the newest revision is, and news of it."""

from collections.abc import Callable

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_POST, require_safe

from hallweb.access import viewable_song
from hallweb.inputs import inputs
from hallweb.screens.common.context import changed
from hallweb.screens.findings import views as findings
from hallweb.screens.hall import views as hall
from hallweb.screens.handoff import views as hand_off
from hallweb.screens.moves.views import moves
from hallweb.screens.returns.views import returns
from hallweb.screens.sends import views as sends
from hallweb.screens.sharing import views as sharing
from hallweb.screens.song import context as song_page
from hallweb.screens.versions import views as versions
from hallweb.songs import actions


@login_required
@require_safe
def newest(request: HttpRequest, song_id: int) -> JsonResponse:
    """Return number and name of a song's newest edit, for pages that were opened before it."""
    head = viewable_song(request, song_id).head
    return JsonResponse({"revision": head.number, "label": head.label} if head else {})


@login_required
@require_safe
def stream(request: HttpRequest, song_id: int) -> HttpResponse:
    """Return nothing, which ends a page's wish for a stream of news: the front has it sent by `hallweb.asgi`, if that is there."""
    viewable_song(request, song_id)
    return HttpResponse(status=204)


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
    return changed(request, song_id, step, lambda state: _open_page(request, state))


def _open_page(request: HttpRequest, state: actions.SongState) -> HttpResponse:
    said = inputs(request)
    match said.text("view"):
        case "sends":
            return sends.page(request, state, said.text("section"))
        case "moves":
            return moves.page(request, state)
        case "hall":
            return hall.page(request, state)
        case "findings":
            return findings.page(request, state)
        case "hand-off":
            return hand_off.page(request, state)
        case "sharing":
            return sharing.page(request, state)
        case "versions":
            return versions.page(request, state, said.text("with"))
        case "song":
            return song_page.page(request, state)
    return returns.page(request, state, said.text("open"))
