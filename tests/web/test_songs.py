"""Plans and their revisions: edits, undo, and the summary for lists of songs."""

from dataclasses import replace

import numpy as np
import pytest
from django.db import transaction

from hallweb.songs import actions
from hallweb.songs.models import Revision
from hallweb.songs.revisions import plan_of
from highhall.errors import CoreError
from highhall.plan import document_of, edits, plan_from_document
from highhall.timing import NoteValue
from tests.core.plans import example, write_stem
from tests.web.factories import large_song, make_song, stored_plan


def louder(plan):
    return edits.set_return(plan, "hall", level_db=3.0)


def test_a_song_is_its_plan_whole(user) -> None:
    plan = plan_from_document(example())
    song = actions.create_song(user, plan, lambda folder: write_stem(folder / "stems/fiddle.flac", np.zeros((1, 480))))
    assert stored_plan(song) == plan


def test_an_edit_is_at_most_ten_queries_whatever_the_songs_size(user, django_assert_max_num_queries) -> None:
    for song in (make_song(user), large_song(user)):
        number = song.head.number
        with django_assert_max_num_queries(10) as queries:
            actions.edit_plan(song.pk, number, "Louder", louder)
        assert [revision.number for revision in song.revisions.all()][number:] == [number + 1]
        assert sum("INSERT" in query["sql"] for query in queries) == 1, "an edit writes one revision"


def test_a_song_tells_in_short_what_its_newest_plan_says(user) -> None:
    song = make_song(user)

    def summary() -> tuple[object, ...]:
        song.refresh_from_db()
        return song.title, song.bpm, song.beat, song.track_count, song.return_count, song.groups_by_track

    before = summary()
    assert before == ("Test", 120.0, "1/4", 3, 2, {"harp": "band", "drum": "band"})

    def edit(plan):
        plan = edits.remove_return(edits.remove_tracks(plan, ["drum"]), "plate")
        plan = edits.set_group(plan, "band", name="Strings")
        return edits.put_tempo(plan, replace(plan.song.tempos[0], bpm=58.0, beat=NoteValue.parse("1/4.")))

    actions.edit_plan(song.pk, 1, "Less", edit)
    assert summary() == ("Test", 58.0, "1/4.", 2, 1, {"harp": "Strings"})
    actions.undo(song.pk, 2)
    assert summary() == before


def test_an_edit_stores_a_revision(song) -> None:
    revision = actions.edit_plan(song.pk, 1, "Louder", louder).revision
    song.refresh_from_db()
    assert (revision.number, revision.parent_id, song.head_id) == (2, Revision.objects.get(number=1).pk, revision.pk)
    assert stored_plan(song) == louder(plan_from_document(revision.parent.document))


def test_an_edit_that_changes_nothing_makes_no_revision(song) -> None:
    assert actions.edit_plan(song.pk, 1, "Nothing", lambda plan: plan).revision.number == 1


def test_a_refused_edit_leaves_everything_as_it_was(song) -> None:
    before = song.head.document
    with pytest.raises(CoreError):
        actions.edit_plan(song.pk, 1, "Loop", lambda plan: edits.set_send(plan, "hall", "plate"))
    song.refresh_from_db()
    assert song.head.number == 1
    assert document_of(stored_plan(song)) == before


def test_the_plan_of_a_revision_that_never_came_to_be_is_not_kept(song) -> None:
    with transaction.atomic():
        number = actions.edit_plan(song.pk, 1, "Louder", louder).revision.pk
        transaction.set_rollback(True)
    with pytest.raises(Revision.DoesNotExist):
        plan_of(number)


def test_an_edit_of_a_stale_revision_is_refused(song) -> None:
    actions.edit_plan(song.pk, 1, "Louder", louder)
    with pytest.raises(actions.StaleRevisionError):
        actions.edit_plan(song.pk, 1, "Again", lambda plan: edits.remove_return(plan, "hall"))
    assert [r.id for r in stored_plan(song).returns] == ["plate", "hall"]


def test_an_edit_of_something_else_is_made_beside_what_was_changed_meanwhile(song) -> None:
    actions.edit_plan(song.pk, 1, "Louder", louder)
    state = actions.edit_plan(song.pk, 1, "Quieter", lambda plan: edits.set_return(plan, "plate", level_db=-9.0))
    assert state.is_merged
    assert state.revision.number == 3
    assert [r.level_db for r in stored_plan(song).returns] == [-9.0, 3.0]
    with pytest.raises(actions.StaleRevisionError, match="last by: Quieter"):
        actions.undo(song.pk, 2)


def test_undo_and_redo_walk_the_revisions(song) -> None:
    actions.edit_plan(song.pk, 1, "Louder", louder)
    actions.edit_plan(song.pk, 2, "Remove", lambda plan: edits.remove_return(plan, "hall"))
    assert actions.undo(song.pk, 3).revision.number == 2
    assert stored_plan(song).return_("hall").level_db == 3.0
    assert actions.undo(song.pk, 2).revision.number == 1
    assert actions.undo(song.pk, 1).revision.number == 1
    assert actions.redo(song.pk, 1).revision.number == 2
    assert actions.redo(song.pk, 2).revision.number == 3
    assert [r.id for r in stored_plan(song).returns] == ["plate"]


def test_an_edit_after_undo_goes_its_own_way_and_keeps_the_old_one(song) -> None:
    actions.edit_plan(song.pk, 1, "Louder", louder)
    actions.undo(song.pk, 2)
    revision = actions.edit_plan(
        song.pk, 1, "Quieter", lambda plan: edits.set_return(plan, "hall", level_db=-9.0)
    ).revision
    assert (revision.number, revision.parent.number) == (3, 1)
    assert Revision.objects.filter(song=song).count() == 3
