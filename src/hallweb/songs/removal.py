"""Songs that are deleted: kept for some weeks to be brought back, then gone with their files."""

import math
from datetime import timedelta
from functools import partial

from django.db import transaction
from django.utils import timezone

from hallweb.songs.files import print_folder, segments_folder, song_folder, upload_file
from hallweb.songs.lasting import forget
from hallweb.songs.models import Song

KEPT = timedelta(days=30)


def delete_song(song: Song) -> None:
    """Take a song out of the list; it can be brought back until it is removed."""
    Song.objects.filter(pk=song.pk).update(deleted=timezone.now())


def bring_back(song: Song) -> None:
    """Put a deleted song into the list again."""
    Song.objects.filter(pk=song.pk).update(deleted=None)


def days_left(song: Song) -> int:
    """Return for how many more days a deleted song can be brought back."""
    if song.deleted is None:
        raise ValueError(f"song {song.pk} is not deleted")
    return max(math.ceil((song.deleted + KEPT - timezone.now()) / timedelta(days=1)), 0)


def remove_for_good(song: Song) -> None:
    """Remove a song, its history and its files. The rows go first: a file without a row harms nobody."""
    paths = [upload_file(pk) for pk in song.uploads.values_list("pk", flat=True)]
    folders = [
        song_folder(song.pk),
        segments_folder() / str(song.pk),
        *map(print_folder, song.prints.values_list("pk", flat=True)),
    ]
    with transaction.atomic():
        Song.objects.filter(pk=song.pk).update(head=None)
        song.delete()
        for path in paths:
            transaction.on_commit(partial(path.unlink, missing_ok=True))
        for folder in folders:
            transaction.on_commit(partial(forget, folder))


def remove_long_deleted() -> None:
    """Remove all songs that were deleted so long ago that nobody can bring them back any more."""
    for song in Song.objects.filter(deleted__lt=timezone.now() - KEPT):
        remove_for_good(song)
