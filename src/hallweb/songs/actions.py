"""Writes: making a song, editing its plan, undoing and redoing. Each is one transaction."""

from collections.abc import Callable, Collection, Iterable
from dataclasses import dataclass, replace
from pathlib import Path

from django.contrib.auth.models import User
from django.db import transaction

from hallweb.songs.files import song_folder
from hallweb.songs.material import kept_material
from hallweb.songs.models import Group, Revision, Song, Stem, Track
from hallweb.songs.revisions import plan_of
from hallweb.songs.rows import Document, store_plan
from hallweb.songs.tasks import ask_to_measure
from highhall.interchange.audio_files import content_hash
from highhall.interchange.folder import propose_tracks
from highhall.interchange.stem_names import name_order
from highhall.plan import Edit, Plan, document_of
from highhall.plan.edits import add_tracks, lengthen


@dataclass(frozen=True, slots=True)
class SongState:
    """A song, its newest revision, and the plan that both rows and revision say."""

    song: Song
    revision: Revision
    plan: Plan


class StaleRevisionError(Exception):
    """The edit was made on a revision that is no longer the song's newest."""


def create_song(owner: User, plan: Plan, put_stems: Callable[[Path], None]) -> Song:
    """Store a new song of `owner`; `put_stems` writes the plan's stems into the folder it is given."""
    with transaction.atomic():
        song = Song(owner=owner, title=plan.song.title, sample_rate=plan.song.sample_rate, end=str(plan.song.end))
        song.save()
        folder = song_folder(song.pk)
        put_stems(folder)
        Stem.objects.bulk_create(
            Stem(song=song, path=path, content_hash=content_hash(folder / path))
            for path in sorted({track.stem for track in plan.tracks})
        )
        document = document_of(plan)
        store_plan(song, document)
        _add_revision(song, None, "Song made", document)
        ask_to_measure(song.stems.all(), plan.song.sample_rate)
    return song


def edit_plan(song_id: int, base_revision: int, label: str, edit: Edit) -> SongState:
    """Apply an edit of the core to a song's plan and store rows and a revision.

    Raises
    ------
    StaleRevisionError
        If `base_revision` is not the newest.
    CoreError
        If the edit is refused; nothing is changed.
    """
    with transaction.atomic():
        song, head = _locked(song_id, base_revision)
        plan = edit(plan_of(head.pk))
        document = document_of(plan)
        if document == head.document:
            return SongState(song, head, plan)
        store_plan(song, document, head.document)
        return SongState(song, _add_revision(song, head, label, document), plan)


def take_stems(song_id: int, base_revision: int, paths: Collection[str]) -> SongState:
    """Make tracks of stems that have none yet, in the order of their names, as one edit; the first ones also set the song's sample rate."""
    song = Song.objects.get(pk=song_id)
    folder = song_folder(song_id)
    stems = sorted(Stem.objects.filter(song=song, path__in=paths).values_list("path", flat=True), key=name_order)

    def edit(plan: Plan) -> Plan:
        used = {track.stem for track in plan.tracks}
        new = [folder / path for path in stems if path not in used]
        proposal = propose_tracks(new, folder, plan, _earlier_groups(song.owner_id))
        if not plan.tracks:
            plan = replace(plan, song=replace(plan.song, sample_rate=proposal.sample_rate))
        return lengthen(add_tracks(plan, proposal.tracks, proposal.groups), proposal.seconds)

    count = len(stems)
    state = edit_plan(song_id, base_revision, f"Add {count} stem{'s' * (count != 1)}", edit)
    ask_to_measure(Stem.objects.filter(song=song, path__in=stems), state.plan.song.sample_rate)
    return state


def _earlier_groups(owner_id: int) -> dict[str, str]:
    """Return the groups that a user has put tracks into so far, by track name, the newest song last."""
    tracks = Track.objects.filter(song__owner_id=owner_id, group__isnull=False).order_by("song_id", "place")
    groups = {(g.song_id, g.key): g.name for g in Group.objects.filter(song__owner_id=owner_id)}
    return {track.name: groups[track.song_id, str(track.group)] for track in tracks}


def edit_time(song_id: int, base_revision: int, label: str, edit: Edit) -> SongState:
    """Apply an edit of a song's time; should the stems be longer than the song then, it gets more bars."""
    stems = {stem.path: stem for stem in Stem.objects.filter(song_id=song_id)}

    def edit_and_lengthen(plan: Plan) -> Plan:
        edited = edit(plan)
        return lengthen(edited, stems_end_s(edited, stems.values()))

    return edit_plan(song_id, base_revision, label, edit_and_lengthen)


def stems_end_s(plan: Plan, stems: Iterable[Stem]) -> float:
    """Return when the last stem of a song has ended, in seconds from 1|1, as far as they were listened to."""
    seconds = {}
    for stem in stems:
        material = kept_material(stem, plan.song.sample_rate)
        seconds[stem.path] = material.seconds if material else 0.0
    return max((track.start_s + seconds.get(track.stem, 0.0) for track in plan.tracks), default=0.0)


def undo(song_id: int, base_revision: int) -> SongState:
    """Go back to the revision before; the first stays."""
    with transaction.atomic():
        song, head = _locked(song_id, base_revision)
        return _go_to(song, head, head.parent or head)


def redo(song_id: int, base_revision: int) -> SongState:
    """Go on to the newest revision that was made from this one, if there is any."""
    with transaction.atomic():
        song, head = _locked(song_id, base_revision)
        return _go_to(song, head, head.children.order_by("-number").first() or head)


def _locked(song_id: int, base_revision: int) -> tuple[Song, Revision]:
    song = Song.objects.select_for_update().get(pk=song_id)
    head = song.head
    if head is None or head.number != base_revision:
        raise StaleRevisionError
    return song, head


def _add_revision(song: Song, parent: Revision | None, label: str, document: Document) -> Revision:
    newest = song.revisions.order_by("-number").values_list("number", flat=True).first() or 0
    revision = Revision.objects.create(
        song=song, number=newest + 1, parent=parent, label=label[:200], document=document
    )
    song.head = revision
    song.save(update_fields=["head"])
    return revision


def _go_to(song: Song, head: Revision, revision: Revision) -> SongState:
    store_plan(song, revision.document, head.document)
    song.head = revision
    song.save(update_fields=["head"])
    return SongState(song, revision, plan_of(revision.pk))
