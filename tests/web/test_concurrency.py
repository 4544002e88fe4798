"""Several at once: edits of one song, and requests for one piece."""

from concurrent.futures import ThreadPoolExecutor

import pytest
from django.db import connections
from django.test import Client
from django.urls import reverse

from hallweb.songs import actions
from hallweb.songs.files import pieces_folder
from hallweb.songs.models import Revision
from hallweb.songs.rows import load_plan
from highhall.plan import edits
from tests.web.factories import make_song, make_user

pytestmark = pytest.mark.django_db(transaction=True)


def in_threads(count: int, work) -> list:
    def run(number: int):
        try:
            return work(number)
        finally:
            connections.close_all()

    with ThreadPoolExecutor(count) as pool:
        return list(pool.map(run, range(count)))


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
    song.refresh_from_db()
    assert Revision.objects.filter(song=song).count() == 2
    assert load_plan(song) == load_plan(song)
    assert song.head.document["returns"][1]["level_db"] == load_plan(song).return_("hall").level_db


def test_many_requests_for_one_piece_get_the_same_bytes_of_one_file() -> None:
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
    assert [path.name for path in (pieces_folder() / key[:2]).iterdir()] == [f"{key}.flac"]
