"""Edits of tracks and groups, one or many at once."""

import pytest
from django.urls import reverse

from tests.web.factories import stored_plan


def post(client, song, view: str, /, *extra: str, **values: object):
    """Send an edit on the newest revision; `song` shows what came of it."""
    song.refresh_from_db()
    answer = client.post(
        reverse(view if ":" in view else f"song:{view}", args=[song.pk, *extra]),
        {"revision": song.head.number, **values},
    )
    song.refresh_from_db()
    return answer


@pytest.mark.parametrize(
    ("field", "value", "expected"),
    [
        ("name", "Alto", lambda t: t.name == "Alto"), ("level_db", "-4,5", lambda t: t.level_db == -4.5),
        ("pan", "-30", lambda t: t.pan == -0.3), ("mute", "", lambda t: t.mute), ("group", "band", lambda t: t.group == "band"),
        ("group", "", lambda t: t.group is None), ("nudge", "+1.5 dB", lambda t: t.level_db == -1.5),
    ],
)  # fmt: skip
def test_a_tracks_fields_are_set(signed_in, song, field: str, value: str, expected) -> None:
    assert post(signed_in, song, "set-tracks", track="voice", field=field, value=value).status_code == 200
    assert expected(stored_plan(song).track("voice"))


def test_many_tracks_are_one_edit_and_one_undo(signed_in, song) -> None:
    post(signed_in, song, "set-tracks", track=["voice", "drum"], field="mute")
    assert [t.mute for t in stored_plan(song).tracks] == [True, False, True]
    assert song.head.label == "Mute, 2 tracks"
    post(signed_in, song, "set-tracks", track=["voice", "harp"], field="mute")  # one of them is not muted yet
    assert [t.mute for t in stored_plan(song).tracks] == [True, True, True]
    post(signed_in, song, "history:undo", view="song")
    post(signed_in, song, "history:undo", view="song")
    assert not any(t.mute for t in stored_plan(song).tracks)


@pytest.mark.parametrize(
    ("values", "expected"),
    [
        ({"track": "drum", "step": "up"}, ["voice", "drum", "harp"]), ({"track": "voice", "step": "down"}, ["harp", "voice", "drum"]),
        ({"track": "voice", "step": "up"}, ["voice", "harp", "drum"]), ({"track": ["voice", "harp"], "step": "down"}, ["drum", "voice", "harp"]),
        ({"track": "voice", "before": ""}, ["harp", "drum", "voice"]), ({"track": "drum", "before": "voice"}, ["drum", "voice", "harp"]),
    ],
)  # fmt: skip
def test_tracks_take_another_place(signed_in, song, values, expected: list[str]) -> None:
    assert post(signed_in, song, "place-tracks", **values).status_code == 200
    assert [t.id for t in stored_plan(song).tracks] == expected


def test_what_tracks_cannot_be_is_said_and_changes_nothing(signed_in, song) -> None:
    before = stored_plan(song)
    for values, status in (
        ({"field": "pan", "value": "200"}, 422), ({"field": "group", "value": "brass"}, 422), ({"field": "nudge", "value": "off"}, 422),
        ({"field": "nudge", "value": "40"}, 422), ({"field": "name", "value": " "}, 422), ({"field": "colour", "value": "red"}, 404),
        ({"track": ["voice", "oboe"], "field": "mute"}, 404),
    ):  # fmt: skip
        assert post(signed_in, song, "set-tracks", **{"track": "voice", **values}).status_code == status
    assert post(signed_in, song, "place-tracks", track="voice", before="oboe").status_code == 404
    assert stored_plan(song) == before


def test_tracks_are_removed_with_their_sends(signed_in, song) -> None:
    post(signed_in, song, "remove-tracks", track=["voice", "harp"])
    plan = stored_plan(song)
    assert [t.id for t in plan.tracks] == ["drum"]
    assert not [s for s in plan.sends if s.source == "voice"]


def test_groups_are_made_renamed_and_removed(signed_in, song) -> None:
    page = post(signed_in, song, "add-group", name="Front", track=["voice", "harp"]).content.decode()
    assert "2 tracks" in page
    plan = stored_plan(song)
    assert [t.group for t in plan.tracks] == ["front", "front", "band"]
    post(signed_in, song, "set-group", "front", field="name", value="Singers")
    assert stored_plan(song).group("front").name == "Singers"
    post(signed_in, song, "remove-group", "front")
    assert stored_plan(song).track("voice").group is None
    assert post(signed_in, song, "add-group", name="").status_code == 422
    assert post(signed_in, song, "set-group", "brass", field="name", value="x").status_code == 404
    assert post(signed_in, song, "set-group", "band", field="name", value="").status_code == 422


def test_a_groups_level_and_mute_are_set_and_what_is_no_level_is_refused(signed_in, song) -> None:
    post(signed_in, song, "set-group", "band", field="level_db", value="-6")
    post(signed_in, song, "set-group", "band", field="mute")
    assert (stored_plan(song).group("band").level_db, stored_plan(song).group("band").mute) == (-6.0, True)
    assert post(signed_in, song, "set-group", "band", field="level_db", value="loud").status_code == 422
    assert post(signed_in, song, "set-group", "band", field="colour", value="red").status_code == 404
    post(signed_in, song, "set-group", "band", field="level_db", value="off")
    assert stored_plan(song).group("band").level_db is None
