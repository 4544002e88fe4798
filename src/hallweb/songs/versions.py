"""Versions of a song: revisions that have a name."""

from django.contrib.auth.models import User
from django.db import transaction

from hallweb.songs.actions import SongState, edit_plan
from hallweb.songs.models import Song, Version
from hallweb.songs.revisions import plan_of
from highhall.errors import CoreError
from highhall.plan import Plan
from highhall.plan.differences import take_over


def keep_version(song: Song, number: int, name: str) -> Version:
    """Give a revision of a song a name.

    Raises
    ------
    CoreError
        If another version of the song has that name.
    """
    with transaction.atomic():
        Song.objects.select_for_update().get(pk=song.pk)
        if song.versions.filter(name=name).exists():
            raise CoreError(
                f'there is a version called "{name}" already; choose another name, or remove that one first'
            )
        return Version.objects.create(song=song, name=name, revision=song.revisions.get(number=number))


def open_version(song_id: int, base_revision: int, version: Version, author: User) -> SongState:
    """Make a song as it is in a version, as an edit of its own: undo comes back, and the version stays as it is."""
    plan = plan_of(version.revision_id)
    return edit_plan(song_id, base_revision, f"Open version {version.name}", lambda _: plan, author)


def take_from_version(
    song_id: int, base_revision: int, version: Version, key: str, what: str, author: User
) -> SongState:
    """Take one difference over from a version; `what` names it for the history."""
    other = plan_of(version.revision_id)

    def edit(plan: Plan) -> Plan:
        return take_over(plan, other, key)

    return edit_plan(song_id, base_revision, f"Take from {version.name}: {what}", edit, author)
