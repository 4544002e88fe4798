"""Writes: making a song, editing its plan, undoing and redoing. Each is one transaction."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from django.contrib.auth.models import User
from django.db import transaction

from hallweb.songs.files import song_folder
from hallweb.songs.models import Revision, Song, Stem
from hallweb.songs.revisions import keep_read, plan_of
from hallweb.songs.summary import summary_of
from highhall.interchange.audio_files import content_hash
from highhall.plan import Edit, Plan, document_of


@dataclass(frozen=True, slots=True)
class SongState:
    """A song, its newest revision, and the plan of that revision."""

    song: Song
    revision: Revision
    plan: Plan


class StaleRevisionError(Exception):
    """The edit was made on a revision that is no longer the song's newest."""


def create_song(owner: User, plan: Plan, put_stems: Callable[[Path], None]) -> Song:
    """Store a new song of `owner`; `put_stems` writes the plan's stems into the folder it is given."""
    with transaction.atomic():
        song = Song.objects.create(owner=owner, **summary_of(plan))
        folder = song_folder(song.pk)
        put_stems(folder)
        Stem.objects.bulk_create(
            Stem(song=song, path=path, content_hash=content_hash(folder / path))
            for path in sorted({track.stem for track in plan.tracks})
        )
        _add_revision(song, None, "Song made", plan)
    return song


def edit_plan(song_id: int, base_revision: int, label: str, edit: Edit) -> SongState:
    """Apply an edit of the core to a song's plan and store the result as one revision.

    Raises
    ------
    StaleRevisionError
        If `base_revision` is not the newest.
    CoreError
        If the edit is refused; nothing is changed.
    """
    with transaction.atomic():
        song, head = _locked(song_id, base_revision)
        before = plan_of(head.pk)
        plan = edit(before)
        if plan == before:
            return SongState(song, head, plan)
        return SongState(song, _add_revision(song, head, label, plan), plan)


def undo(song_id: int, base_revision: int) -> SongState:
    """Go back to the revision before; the first stays."""
    with transaction.atomic():
        song, head = _locked(song_id, base_revision)
        return _go_to(song, Revision.objects.defer("document").get(pk=head.parent_id or head.pk))


def redo(song_id: int, base_revision: int) -> SongState:
    """Go on to the newest revision that was made from this one, if there is any."""
    with transaction.atomic():
        song, head = _locked(song_id, base_revision)
        return _go_to(song, head.children.defer("document").order_by("-number").first() or head)


def _locked(song_id: int, base_revision: int) -> tuple[Song, Revision]:
    songs = Song.objects.select_related("head").defer("head__document").select_for_update(of=("self",))
    song = songs.get(pk=song_id)
    head = song.head
    if head is None or head.number != base_revision:
        raise StaleRevisionError
    return song, head


def _add_revision(song: Song, parent: Revision | None, label: str, plan: Plan) -> Revision:
    newest = song.revisions.order_by("-number").values_list("number", flat=True).first() or 0
    revision = Revision.objects.create(
        song=song, number=newest + 1, parent=parent, label=label[:200], document=document_of(plan)
    )
    transaction.on_commit(partial(keep_read, revision.pk, plan))  # its number is its own only then
    _show(song, revision, plan)
    return revision


def _go_to(song: Song, revision: Revision) -> SongState:
    plan = plan_of(revision.pk)
    _show(song, revision, plan)
    return SongState(song, revision, plan)


def _show(song: Song, revision: Revision, plan: Plan) -> None:
    """Make a revision the song's newest, and the summary its."""
    song.head = revision
    summary = summary_of(plan)
    for name, value in summary.items():
        setattr(song, name, value)
    song.save(update_fields=["head", *summary])
