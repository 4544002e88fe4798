"""Writes: making a song, editing its plan, undoing and redoing. Each is one transaction."""

import logging
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from django.contrib.auth.models import User
from django.db import transaction

from hallweb.metrics import EDITS
from hallweb.songs import news
from hallweb.songs.files import bytes_on_disk, link_file, song_folder
from hallweb.songs.lasting import here, keep
from hallweb.songs.models import ImpulseResponse, Revision, Song, Stem
from hallweb.songs.revisions import keep_read, plan_of
from hallweb.songs.summary import summary_of
from highhall.interchange.audio_files import content_hash, sound_facts
from highhall.plan import Edit, Plan, document_of
from highhall.plan.edits import free_name, rename_song
from highhall.plan.merging import ConflictError, merged
from highhall.plan.references import response_paths

_work = logging.getLogger("hallweb.work")


@dataclass(frozen=True, slots=True)
class SongState:
    """A song, its newest revision, and the plan of that revision; `is_merged` if it has changes that a page has not seen."""

    song: Song
    revision: Revision
    plan: Plan
    is_merged: bool = False


class StaleRevisionError(Exception):
    """The song was changed meanwhile, and what was asked for cannot be done beside that; the text is a sentence."""


def create_song(owner: User, plan: Plan, put_files: Callable[[Path], None], label: str = "Song made") -> Song:
    """Store a new song of `owner`; `put_files` writes the plan's stems and responses into the folder it is given."""
    with transaction.atomic():
        song = Song.objects.create(owner=owner, **summary_of(plan))
        folder = song_folder(song.pk)
        put_files(folder)
        Stem.objects.bulk_create(
            Stem(
                song=song,
                path=path,
                content_hash=content_hash(folder / path),
                bytes=bytes_on_disk(folder / path, sound_facts(folder / path), song.sample_rate),
            )
            for path in sorted({track.stem for track in plan.tracks})
        )
        ImpulseResponse.objects.bulk_create(
            ImpulseResponse(song=song, path=path, content_hash=content_hash(folder / path))
            for path in response_paths(plan)
        )
        _add_revision(song, None, label, plan, owner)
    return song


def copy_song(song: Song, owner: User) -> Song:
    """Make a song of `owner` from another: its newest plan, stems and impulse responses.

    The files are linked where the file system can do that, so a copy takes next to no room.
    """
    if song.head_id is None:
        raise LookupError(f"song {song.pk} has no revision")
    plan = plan_of(song.head_id)
    titles = set(Song.objects.owned_by(owner).values_list("title", flat=True))
    plan = rename_song(plan, free_name(f"{plan.song.title} copy", titles))
    with transaction.atomic():
        copy = Song.objects.create(owner=owner, **summary_of(plan), rooms=song.rooms)
        stems = Stem.objects.filter(song=song).values(
            "path", "content_hash", "bytes", "threshold_db", "phrase_ends", "problem"
        )
        responses = ImpulseResponse.objects.filter(song=song).values("path", "content_hash")
        for row in (*stems, *responses):
            target = song_folder(copy.pk) / row["path"]
            link_file(here(song_folder(song.pk) / row["path"], row["content_hash"]), target)
            keep(target)
        Stem.objects.bulk_create(Stem(song=copy, **row) for row in stems)
        ImpulseResponse.objects.bulk_create(ImpulseResponse(song=copy, **row) for row in responses)
        _add_revision(copy, None, f"Copy of {song.title}", plan, owner)
    return copy


def edit_plan(song_id: int, base_revision: int, label: str, edit: Edit, author: User | None = None) -> SongState:
    """Apply an edit of the core to a song's plan and store the result as one revision of its author.

    Where others have changed the song since `base_revision`, both changes are kept if they are of different things.

    Raises
    ------
    StaleRevisionError
        If they are of the same thing.
    CoreError
        If the edit is refused; nothing is changed.
    """
    with transaction.atomic():
        song, head = _locked(song_id)
        before = plan_of(head.pk)
        is_merged = head.number != base_revision
        plan = _merged(song, base_revision, before, edit) if is_merged else edit(before)
        revision = head if plan == before else _add_revision(song, head, label, plan, author)
        return SongState(song, revision, plan, is_merged)


def _merged(song: Song, base_revision: int, newest: Plan, edit: Edit) -> Plan:
    base = song.revisions.filter(number=base_revision).values_list("pk", flat=True).first()
    if base is None:
        raise StaleRevisionError(
            "This page does not say on which revision the change was made. Reload it, then change it again."
        )
    try:
        return merged(plan_of(base), newest, edit)
    except ConflictError as error:
        text = str(error)
        raise StaleRevisionError(f"{text[:1].upper()}{text[1:]}.") from error


def undo(song_id: int, base_revision: int) -> SongState:
    """Go back to the revision before; the first stays. StaleRevisionError if `base_revision` is not the newest."""
    with transaction.atomic():
        song, head = _newest(song_id, base_revision)
        return _go_to(song, Revision.objects.defer("document").get(pk=head.parent_id or head.pk))


def redo(song_id: int, base_revision: int) -> SongState:
    """Go on to the newest revision that was made from this one, if there is any. StaleRevisionError as for `undo`."""
    with transaction.atomic():
        song, head = _newest(song_id, base_revision)
        return _go_to(song, head.children.defer("document").order_by("-number").first() or head)


def _newest(song_id: int, base_revision: int) -> tuple[Song, Revision]:
    song, head = _locked(song_id)
    if head.number != base_revision:
        raise StaleRevisionError(
            f"The song was changed elsewhere meanwhile, last by: {head.label}. Nothing was undone or redone; press again to go on from there."
        )
    return song, head


def _locked(song_id: int) -> tuple[Song, Revision]:
    song = Song.objects.select_for_update().get(pk=song_id)
    # On its own: joined to a row that was waited for, PostgreSQL does not see what was added while it waited.
    if song.head_id is None:
        raise LookupError(f"song {song.pk} has no revision")
    return song, Revision.objects.defer("document").get(pk=song.head_id)


def _add_revision(song: Song, parent: Revision | None, label: str, plan: Plan, author: User | None) -> Revision:
    newest = song.revisions.order_by("-number").values_list("number", flat=True).first() or 0
    revision = Revision.objects.create(
        song=song, number=newest + 1, parent=parent, author=author, label=label[:200], document=document_of(plan)
    )
    transaction.on_commit(partial(_tell_stored, revision, plan))
    _show(song, revision, plan)
    return revision


def _tell_stored(revision: Revision, plan: Plan) -> None:
    """Keep a revision that is stored for good as it was read; its number is its own only from then on."""
    keep_read(revision.pk, plan)
    EDITS.inc()
    _work.info("an edit was stored", extra={"facts": {"song": revision.song_id, "revision": revision.number}})


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
    news.tell(song.pk, news.PLAN)
