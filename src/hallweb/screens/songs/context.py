"""What the list of songs shows: found by words, sorted, each with its silhouette; and those that can be brought back."""

from dataclasses import dataclass
from typing import Any

from django.contrib.auth.base_user import AbstractBaseUser
from django.contrib.auth.models import AnonymousUser
from django.db.models import F, Max, Q
from django.http import HttpRequest

from hallweb.audition.rooms import kept_rooms
from hallweb.inputs import inputs
from hallweb.screens.songs.silhouettes import HEIGHT, LINES_Y, WIDTH, minutes, scale_of, silhouette
from hallweb.songs.models import Song
from hallweb.songs.removal import KEPT, days_left
from highhall.wording import BEATS


@dataclass(frozen=True, slots=True)
class Sorting:
    """A way to sort: the head of its column, and the fields, the first of which decides."""

    label: str
    fields: tuple[str, ...]
    is_falling: bool = False


SORTINGS = {
    "title": Sorting("Song", ("title", "pk")),
    "length": Sorting("Length, tempo", ("seconds", "title")),
    "tracks": Sorting("Material", ("track_count", "title"), is_falling=True),
    "changed": Sorting("Last change", ("head__created", "pk"), is_falling=True),
}
_DEFAULT_SORTING = "changed"


def songs_context(request: HttpRequest, *, typed: dict[str, str] | None = None, problem: str = "") -> dict[str, Any]:
    """Return what the page shows; `typed` and `problem` are of a new song that could not be made."""
    said = inputs(request)
    key = said.text("sort") if said.text("sort") in SORTINGS else _DEFAULT_SORTING
    words = said.text("q").strip()
    seen = Song.objects.viewable_by(request.user)
    found = seen.filter(_about(words)).select_related("head").defer("head__document").order_by(*_order(SORTINGS[key]))
    px_per_s = shared_scale(request.user)
    deleted = Song.objects.deleted_by(request.user).order_by("-deleted")
    return {
        "rows": [song_row(song, px_per_s) for song in found],
        "count": seen.count(),
        "words": words,
        "sort": key,
        "direction": "descending" if SORTINGS[key].is_falling else "ascending",
        "heads": [(name, each.label) for name, each in SORTINGS.items()],
        "minutes": minutes(px_per_s),
        "lines": LINES_Y,
        "deleted": [
            {"song": song, "days": (days := days_left(song)), "share": 100 * days / KEPT.days} for song in deleted
        ],
        "beats": BEATS,
        "typed": typed or {},
        "problem": problem,
        "picture": {"width": WIDTH, "height": HEIGHT},
    }


def shared_scale(user: AbstractBaseUser | AnonymousUser) -> float:
    """Return how many pixels a second is in the silhouettes of all of a user's songs."""
    return scale_of(Song.objects.viewable_by(user).aggregate(longest=Max("seconds"))["longest"] or 0.0)


def _order(sorting: Sorting) -> list[Any]:
    first, *others = sorting.fields
    return [F(first).desc() if sorting.is_falling else F(first).asc(), *others]


def _about(words: str) -> Q:
    """Return what finds songs in whose title or tracks all of some words stand; no word finds all."""
    found = Q()
    for word in words.split():
        found &= Q(title__icontains=word) | Q(track_names__icontains=word)
    return found


def song_row(song: Song, px_per_s: float) -> dict[str, Any]:
    """Return a song as a row; without `is_early` its silhouette is that of its newest revision."""
    return {
        "song": song,
        "beat_name": dict(BEATS).get(song.beat, song.beat),
        "silhouette": silhouette(kept_rooms(song), px_per_s) if song.rooms else None,
        "is_early": song.rooms_of != song.head_id and song.track_count > 0,
    }
