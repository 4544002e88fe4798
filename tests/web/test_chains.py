"""The chain of an open return: adding, ordering, switching and removing effects."""

import pytest
from django.urls import reverse

from hallweb.songs.models import Song
from tests.web.factories import stored_plan


def post(client, name: str, song: Song, key: str, **fields: str):
    song.refresh_from_db()
    return client.post(
        reverse(name, args=[song.pk, key]), {"revision": song.head.number, **fields}, headers={"HX-Request": "true"}
    )


def kinds(song: Song, key: str = "hall") -> list[str]:
    return [effect.kind for effect in stored_plan(song).return_(key).chain]


def test_a_step_is_added_put_first_switched_off_and_removed(signed_in, song) -> None:
    before = kinds(song)
    page = post(signed_in, "returns:add-effect", song, "hall", start="warm-edge").content.decode()
    assert kinds(song) == [*before, "drive"]
    assert "effect/drive/amount" in page
    for _ in before:
        post(signed_in, "returns:change-effect", song, "hall", effect="drive", change="earlier")
    assert kinds(song) == ["drive", *before]
    post(signed_in, "returns:change-effect", song, "hall", effect="drive", change="earlier")  # at the end it stays
    assert kinds(song) == ["drive", *before]
    page = post(signed_in, "returns:change-effect", song, "hall", effect="drive", change="switch").content.decode()
    assert not stored_plan(song).return_("hall").effect("drive").on
    assert 'aria-pressed="false"' in page
    post(signed_in, "returns:change-effect", song, "hall", effect="drive", change="remove")
    assert kinds(song) == before
    song.refresh_from_db()
    undo = {"revision": song.head.number, "view": "returns"}
    assert (
        signed_in.post(reverse("history:undo", args=[song.pk]), undo, headers={"HX-Request": "true"}).status_code == 200
    )
    assert kinds(song) == ["drive", *before]


def test_a_second_step_of_a_kind_gets_an_id_of_its_own_and_fields_of_its_own(signed_in, song) -> None:
    post(signed_in, "returns:add-effect", song, "hall", start="nave")
    page = post(signed_in, "returns:add-effect", song, "hall", start="booth").content.decode()
    ids = [effect.id for effect in stored_plan(song).return_("hall").chain if effect.kind == "reverb"]
    assert len(ids) == len(set(ids)) == 3
    assert all(f"effect/{effect_id}/space" in page for effect_id in ids)


def test_a_return_without_a_wet_step_says_that_it_is_silent(signed_in, song) -> None:
    wet = next(effect.id for effect in stored_plan(song).return_("hall").chain if effect.kind == "reverb")
    page = post(signed_in, "returns:change-effect", song, "hall", effect=wet, change="switch").content.decode()
    assert "silent: no effect that is on makes wet sound" in page


def test_what_the_plan_forbids_is_said_and_changes_nothing(signed_in, song) -> None:
    post(signed_in, "returns:add-effect", song, "hall", start="slow-shimmer")
    post(signed_in, "returns:set-return", song, "hall", path="effect/chorus/mix", value="50 %")
    for _ in range(len(kinds(song)) - 2):
        post(signed_in, "returns:change-effect", song, "hall", effect="chorus", change="earlier")
    response = post(signed_in, "returns:change-effect", song, "hall", effect="chorus", change="earlier")
    assert response.status_code == 422
    assert "Mix must be 1" in response.content.decode()
    assert kinds(song)[0] != "chorus"


@pytest.mark.parametrize(
    ("name", "fields", "status"),
    [
        ("returns:add-effect", {"start": "lost"}, 422),
        ("returns:change-effect", {"effect": "lost", "change": "remove"}, 404),
        ("returns:change-effect", {"effect": "reverb", "change": "explode"}, 404),
    ],
)
def test_what_cannot_be_is_refused(signed_in, song, name: str, fields: dict[str, str], status: int) -> None:
    before = kinds(song)
    assert post(signed_in, name, song, "hall", **fields).status_code == status
    assert post(signed_in, name, song, "lost", **fields).status_code == 404
    assert kinds(song) == before
