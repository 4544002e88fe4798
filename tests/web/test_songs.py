"""Rows and plans, edits, revisions, undo."""

import pytest
from django.db import IntegrityError, transaction

from hallweb.songs import actions
from hallweb.songs.models import Return, Revision, Send
from hallweb.songs.rows import load_plan
from highhall.errors import CoreError
from highhall.plan import document_of, edits, plan_from_document
from tests.web.factories import make_song


def louder(plan):
    return edits.set_return(plan, "hall", level_db=3.0)


def test_rows_say_what_the_revision_says(song) -> None:
    assert document_of(load_plan(song)) == song.head.document


def test_a_plan_with_everything_in_it_survives_the_rows(song) -> None:
    from tests.core.plans import example

    document = example()
    document["song"]["sample_rate"] = 48000
    with transaction.atomic():
        from hallweb.songs.rows import store_plan

        store_plan(song, document_of(plan_from_document(document)), song.head.document)
    assert load_plan(song) == plan_from_document(document)


def test_reading_a_plan_takes_ten_queries_whatever_its_size(user, django_assert_num_queries) -> None:
    for tracks in (3, 40):
        song = make_song(user, tracks=tracks)
        with django_assert_num_queries(9):
            load_plan(song)


def test_an_edit_stores_rows_and_a_revision(song) -> None:
    revision = actions.edit_plan(song.pk, 1, "Louder", louder).revision
    song.refresh_from_db()
    assert (revision.number, revision.parent_id, song.head_id) == (2, Revision.objects.get(number=1).pk, revision.pk)
    assert Return.objects.get(song=song, key="hall").level_db == 3.0
    assert document_of(load_plan(song)) == revision.document


def test_an_edit_that_changes_nothing_makes_no_revision(song) -> None:
    assert actions.edit_plan(song.pk, 1, "Nothing", lambda plan: plan).revision.number == 1


def test_a_refused_edit_leaves_everything_as_it_was(song) -> None:
    before = song.head.document
    with pytest.raises(CoreError):
        actions.edit_plan(song.pk, 1, "Loop", lambda plan: edits.set_send(plan, "hall", "plate"))
    song.refresh_from_db()
    assert song.head.number == 1
    assert document_of(load_plan(song)) == before


def test_an_edit_of_a_stale_revision_is_refused(song) -> None:
    actions.edit_plan(song.pk, 1, "Louder", louder)
    with pytest.raises(actions.StaleRevisionError):
        actions.edit_plan(song.pk, 1, "Again", lambda plan: edits.remove_return(plan, "hall"))
    assert Return.objects.filter(song=song).count() == 2


def test_undo_and_redo_walk_the_revisions(song) -> None:
    actions.edit_plan(song.pk, 1, "Louder", louder)
    actions.edit_plan(song.pk, 2, "Remove", lambda plan: edits.remove_return(plan, "hall"))
    assert actions.undo(song.pk, 3).revision.number == 2
    assert Return.objects.get(song=song, key="hall").level_db == 3.0
    assert actions.undo(song.pk, 2).revision.number == 1
    assert actions.undo(song.pk, 1).revision.number == 1
    assert actions.redo(song.pk, 1).revision.number == 2
    assert actions.redo(song.pk, 2).revision.number == 3
    assert not Return.objects.filter(song=song, key="hall").exists()


def test_an_edit_after_undo_goes_its_own_way_and_keeps_the_old_one(song) -> None:
    actions.edit_plan(song.pk, 1, "Louder", louder)
    actions.undo(song.pk, 2)
    revision = actions.edit_plan(
        song.pk, 1, "Quieter", lambda plan: edits.set_return(plan, "hall", level_db=-9.0)
    ).revision
    assert (revision.number, revision.parent.number) == (3, 1)
    assert Revision.objects.filter(song=song).count() == 3


def test_the_database_refuses_a_second_send_between_the_same_two(song) -> None:
    with pytest.raises(IntegrityError), transaction.atomic():
        Send.objects.create(song=song, place=9, source="voice", target="plate", level_db=0, tap="post", pan=0, on=True)
