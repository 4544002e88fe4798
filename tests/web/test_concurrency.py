"""Several at once: edits of one song, requests for one segment, and work that goes in turns."""

import threading

import pytest
from django.test import Client
from django.urls import reverse

from hallweb.songs import actions, revisions
from hallweb.songs.files import segments_folder
from hallweb.songs.locks import Turns
from hallweb.songs.models import Revision, Song
from highhall.memo import Memo
from highhall.plan import Plan, edits, plan_from_document
from tests.web.at_once import in_threads
from tests.web.factories import make_song, make_user, stored_plan

pytestmark = pytest.mark.django_db(transaction=True)


def test_of_many_edits_on_one_revision_one_is_taken_and_the_others_are_told() -> None:
    song = make_song(make_user())

    def edit(number: int) -> str:
        try:
            actions.edit_plan(
                song.pk, 1, "Level", lambda plan: edits.set_return(plan, "hall", level_db=-float(number + 1))
            )
        except actions.StaleRevisionError:
            return "stale"
        return "taken"

    assert sorted(in_threads(6, edit)) == ["stale"] * 5 + ["taken"]
    assert [revision.number for revision in Revision.objects.filter(song=song)] == [1, 2]
    taken = actions.plan_of(Revision.objects.get(song=song, number=2).pk)
    assert taken.return_("hall").level_db in {-1.0, -2.0, -3.0, -4.0, -5.0, -6.0}
    assert stored_plan(song) == edits.set_return(first_plan(song), "hall", level_db=taken.return_("hall").level_db), (
        "the song has one whole edit, and nothing of the others"
    )


def test_many_edits_of_different_sends_on_one_revision_are_all_taken() -> None:
    song = make_song(make_user())
    pairs = [(send.source, send.target) for send in first_plan(song).sends]

    def edit(number: int) -> None:
        source, target = pairs[number]
        actions.edit_plan(
            song.pk, 1, "Level", lambda plan: edits.set_send(plan, source, target, level_db=-30.0 - number)
        )

    in_threads(len(pairs), edit)
    assert [send.level_db for send in stored_plan(song).sends] == [-30.0 - n for n in range(len(pairs))]
    assert Revision.objects.filter(song=song).count() == 1 + len(pairs)


def first_plan(song: Song) -> Plan:
    """Return the plan of a song's first revision."""
    return actions.plan_of(Revision.objects.get(song=song, number=1).pk)


def test_a_plan_that_many_ask_for_at_once_is_read_once(monkeypatch: pytest.MonkeyPatch) -> None:
    song = make_song(make_user())
    read = []
    monkeypatch.setattr(revisions, "_plans", Memo(64))
    monkeypatch.setattr(
        revisions, "plan_from_document", lambda document: read.append(document) or plan_from_document(document)
    )
    plans = in_threads(6, lambda _: revisions.plan_of(song.head_id))
    assert len(read) == 1
    assert all(plan is plans[0] for plan in plans)


def test_many_requests_for_one_segment_get_the_same_bytes_of_one_file() -> None:
    user = make_user()
    song = make_song(user)

    def signed_in() -> Client:
        client = Client()
        client.force_login(user)
        return client

    manifest = signed_in().get(reverse("audition:manifest", args=[song.pk])).json()
    key = manifest["lanes"][2]["keys"][1]
    url = manifest["lanes"][2]["url"].replace("INDEX", "1").replace("KEY", key)
    bodies = in_threads(6, lambda _: signed_in().get(url).content)
    assert len(set(bodies)) == 1
    assert [path.name for path in (segments_folder() / str(song.pk) / key[:2]).iterdir()] == [f"{key}.flac"]


def test_of_those_who_wait_for_their_turn_the_lowest_number_is_next() -> None:
    turns, done = Turns(), []
    numbers = [7, 3, 9, 3, 1]
    first_has_begun, first_is_over = threading.Event(), threading.Event()

    def work(place: int) -> None:
        if place == 0:
            with turns.turn(0):
                first_has_begun.set()
                first_is_over.wait()
            return
        first_has_begun.wait()
        with turns.turn(numbers[place - 1]):
            done.append(numbers[place - 1])
            assert len(done) == len(numbers) - len(turns._waiting), "one at a time"

    def let_go(_: int) -> None:
        while len(turns._waiting) < len(numbers):
            pass
        first_is_over.set()

    in_threads(len(numbers) + 2, lambda place: (let_go if place > len(numbers) else work)(place))
    assert done == sorted(numbers)


def test_a_turn_that_fails_ends() -> None:
    turns = Turns()
    with pytest.raises(ZeroDivisionError), turns.turn(1):
        raise ZeroDivisionError
    with turns.turn(2):
        assert not turns._waiting
