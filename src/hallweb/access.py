"""Who may do what with the song that an address names. Whoever may not see it finds nothing there."""

from typing import cast
from weakref import WeakKeyDictionary

from django.contrib.auth.models import User
from django.core.exceptions import PermissionDenied
from django.http import Http404, HttpRequest

from hallweb.songs.models import Song, SongQuerySet

_editable: WeakKeyDictionary[HttpRequest, set[int]] = WeakKeyDictionary()
"""Which songs the user of a request at work is known to be allowed to change."""

LISTENS_ONLY = "You may listen to this song, not change it. Its owner can make you an editor."


def user_of(request: HttpRequest) -> User:
    """Return who is signed in."""
    return cast(User, request.user)


def viewable_song(request: HttpRequest, song_id: int, songs: SongQuerySet | None = None) -> Song:
    """Return a song, among some, that the user may see and hear, or answer 404."""
    found = (_songs() if songs is None else songs).viewable_by(request.user).filter(pk=song_id).first()
    if found is None:
        raise Http404
    return found


def editable_song(request: HttpRequest, song_id: int, songs: SongQuerySet | None = None) -> Song:
    """Return a song, among some, that the user may change; answer 403 if they may only listen, else 404."""
    found = (_songs() if songs is None else songs).editable_by(request.user).filter(pk=song_id).first()
    if found is None:
        viewable_song(request, song_id)
        raise PermissionDenied(LISTENS_ONLY)
    _editable.setdefault(request, set()).add(song_id)
    return found


def require_editable(request: HttpRequest, song_id: int) -> None:
    """Answer as `editable_song` does if the user may not change a song; the database is asked once a request."""
    if song_id not in _editable.get(request, ()):
        editable_song(request, song_id)


def owned_song(request: HttpRequest, song_id: int) -> Song:
    """Return a song of the user's own; answer 403 if it is shared with them, else 404."""
    found = _songs().owned_by(request.user).filter(pk=song_id).first()
    if found is None:
        viewable_song(request, song_id)
        raise PermissionDenied("Only its owner may do that with this song.")
    return found


def song_for(request: HttpRequest, song_id: int, songs: SongQuerySet | None = None) -> Song:
    """Return a song to show for a request that reads, to change for one that does not."""
    may = viewable_song if request.method in ("GET", "HEAD") else editable_song
    return may(request, song_id, songs)


def may_change(request: HttpRequest, song: Song) -> bool:
    """Whether the user may change a song that they see."""
    return song.owner_id == request.user.pk or _songs().editable_by(request.user).filter(pk=song.pk).exists()


def _songs() -> SongQuerySet:
    return Song.objects.select_related("head").defer("head__document")
