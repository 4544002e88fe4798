"""Stems that have come in: brought into the song."""

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.views.decorators.http import require_POST

from hallweb.access import user_of
from hallweb.analysis.actions import Taken, take_stems
from hallweb.inputs import inputs
from hallweb.screens.common.context import changed, open_song
from hallweb.screens.song.context import page
from hallweb.songs.actions import SongState


@login_required
@require_POST
def take(request: HttpRequest, song_id: int) -> HttpResponse:
    """Bring stems that came in into the song, and say which are replaced, new, and the same."""
    open_song(request, song_id)
    paths = inputs(request).texts("path")
    taken: list[Taken] = []

    def change(song_id: int, base: int) -> SongState:
        taken.append(take_stems(song_id, base, paths, user_of(request)))
        return taken[0].state

    return changed(request, song_id, change, lambda state: page(request, state, taken=taken[0]))
