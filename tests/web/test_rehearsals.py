"""Edits that are rehearsed while they are typed: their sound is told and got ready, and nothing is stored."""

import json

import pytest
from django.core.cache import cache
from django.urls import reverse

from hallweb.audition import ahead, proposals
from hallweb.audition.proposals import LostProposalError
from hallweb.songs.models import Revision, Song
from hallweb.songs.revisions import plan_of
from highhall.memo import Memo
from highhall.plan.edits import set_return
from tests.web.factories import make_user

DECAY = "effect/reverb/decay_s"


@pytest.fixture
def rehearse(signed_in, song):
    """Return what types a value into a field of a return."""

    def typed(value: str, *, revision: int = 1, path: str = DECAY, key: str = "hall", **headers: str):
        said = {"path": path, "value": value, "revision": revision}
        said_with_it = {"Rehearse": "yes", "Play-Sample": "100000", **headers}
        return signed_in.post(reverse("returns:set-return", args=[song.pk, key]), said, headers=said_with_it)

    return typed


def listed(client, song, **said) -> dict[str, list[str]]:
    lanes = client.get(reverse("audition:manifest", args=[song.pk]), said).json()["lanes"]
    return {lane["id"]: lane["keys"] for lane in lanes}


def test_what_is_typed_is_told_as_it_will_be_heard_and_nothing_is_stored(signed_in, song, rehearse) -> None:
    before = listed(signed_in, song)
    told = rehearse("1.7").json()
    assert Revision.objects.count() == 1
    assert Song.objects.get(pk=song.pk).head.number == 1
    assert listed(signed_in, song) == before
    made = signed_in.post(
        reverse("returns:set-return", args=[song.pk, "hall"]), {"path": DECAY, "value": "1.7", "revision": 1}
    )
    assert made.status_code == 200
    first = told["first"]
    after = listed(signed_in, song)
    assert told["keys"] == {lane: keys[first : first + 2] for lane, keys in after.items()}
    assert told["keys"]["hall"] != before["hall"][first : first + 2]


def test_the_sound_of_what_is_typed_is_that_of_the_edit(signed_in, song, rehearse) -> None:
    told = rehearse("1.7").json()
    key = told["keys"]["hall"][0]
    address = told["url"].replace("LANE", "hall").replace("INDEX", str(told["first"])).replace("KEY", key)
    rehearsed = signed_in.get(address)
    assert rehearsed.status_code == 200
    signed_in.post(
        reverse("returns:set-return", args=[song.pk, "hall"]), {"path": DECAY, "value": "1.7", "revision": 1}
    )
    lanes = signed_in.get(reverse("audition:manifest", args=[song.pk])).json()["lanes"]
    hall = next(lane for lane in lanes if lane["id"] == "hall")
    made = signed_in.get(hall["url"].replace("INDEX", str(told["first"])).replace("KEY", key))
    assert made.content == rehearsed.content


def test_what_is_typed_while_tracks_are_heard_alone_is_told_as_it_will_be_heard_so(signed_in, song, rehearse) -> None:
    before = listed(signed_in, song, alone="voice")
    told = rehearse("1.7", **{"Play-As": "alone=voice"}).json()
    assert told["heard"] == "alone=voice"
    made = signed_in.post(
        reverse("returns:set-return", args=[song.pk, "hall"]),
        {"path": DECAY, "value": "1.7", "revision": 1},
        headers={"Play-Sample": "100000", "Play-As": "alone=voice"},
    )
    ahead = json.loads(made["HX-Trigger"])["plan-changed"]["ahead"]
    first, after = told["first"], listed(signed_in, song, alone="voice")
    assert told["keys"] == ahead["keys"] == {lane: keys[first : first + 2] for lane, keys in after.items()}
    assert [lane for lane, keys in after.items() if keys != before[lane]] == ["hall"]
    key = told["keys"]["hall"][0]
    for each in (told, ahead):
        address = each["url"].replace("LANE", "hall").replace("INDEX", str(first)).replace("KEY", key)
        assert signed_in.get(address).status_code == 200


def test_other_screens_edits_are_rehearsed_too(signed_in, song) -> None:
    values = {"source": "voice", "target": "hall", "field": "level", "value": "-3", "revision": 1}
    headers = {"Rehearse": "yes", "Play-Sample": "0"}
    told = signed_in.post(reverse("sends:set-send", args=[song.pk]), values, headers=headers).json()
    before = listed(signed_in, song)
    assert [lane for lane, keys in told["keys"].items() if keys != before[lane][:2]] == ["hall"]
    assert plan_of(Song.objects.get(pk=song.pk).head_id).send("voice", "hall").level_db != -3


@pytest.mark.parametrize("value", ["", "-", "a while", "900"])
def test_what_is_half_typed_or_refused_is_answered_with_nothing(rehearse, value) -> None:
    answer = rehearse(value)
    assert (answer.status_code, answer.content) == (204, b"")


def test_what_is_typed_on_a_revision_that_is_none_is_answered_with_nothing(rehearse) -> None:
    assert rehearse("1.7", revision=7).status_code == 204


def test_nothing_is_got_ready_where_nothing_plays(rehearse) -> None:
    assert rehearse("1.7", **{"Play-Sample": ""}).status_code == 204


def test_an_undo_that_says_it_is_rehearsed_undoes_nothing(signed_in, song) -> None:
    signed_in.post(
        reverse("returns:set-return", args=[song.pk, "hall"]), {"path": DECAY, "value": "1.7", "revision": 1}
    )
    answer = signed_in.post(reverse("history:undo", args=[song.pk]), {"revision": 2}, headers={"Rehearse": "yes"})
    assert answer.status_code == 204
    assert Song.objects.get(pk=song.pk).head.number == 2


def test_who_may_not_change_a_song_rehearses_nothing(client, song) -> None:
    client.force_login(make_user("mallory"))
    said = {"path": DECAY, "value": "1.7", "revision": 1}
    headers = {"Rehearse": "yes", "Play-Sample": "0"}
    answer = client.post(reverse("returns:set-return", args=[song.pk, "hall"]), said, headers=headers)
    assert answer.status_code == 404


def test_another_process_reads_what_is_typed_and_only_the_newest_of_it_is_kept(song, user, monkeypatch) -> None:
    plan = plan_of(song.head_id)
    monkeypatch.setattr(proposals, "_read", Memo(0))
    first = proposals.keep_rehearsal(plan, song.pk, user.pk)
    assert proposals.proposed_plan(first) == plan
    other = proposals.keep_rehearsal(set_return(plan, "hall", level_db=-1.0), song.pk, user.pk)
    assert proposals.proposed_plan(other).return_("hall").level_db == -1.0
    with pytest.raises(LostProposalError):
        proposals.proposed_plan(first)
    cache.clear()
    with pytest.raises(LostProposalError):
        proposals.proposed_plan(other)


def test_the_last_values_are_kept_and_what_was_used_least_recently_goes() -> None:
    kept: Memo[int] = Memo(2)
    kept.keep("a", 1)
    kept.keep("b", 2)
    assert kept.get("a") == 1
    kept.keep("c", 3)
    assert [kept.get(key) for key in "abc"] == [1, None, 3]


def test_the_sound_of_what_was_typed_before_is_given_up_and_that_of_the_edit_goes_on(
    signed_in, song, rehearse, monkeypatch
) -> None:
    monkeypatch.setattr(ahead._pool, "submit", lambda *_: None)  # nothing is rendered ahead
    first, second = rehearse("1.7").json(), rehearse("1.8").json()

    def fetched(told, index: int = 0):
        key = told["keys"]["hall"][index]
        address = told["url"].replace("LANE", "hall").replace("INDEX", str(told["first"] + index)).replace("KEY", key)
        return signed_in.get(address)

    given_up = fetched(first)
    assert given_up.status_code == 409
    assert b"typed meanwhile" in given_up.content
    assert fetched(second).status_code == 200
    signed_in.post(
        reverse("returns:set-return", args=[song.pk, "hall"]),
        {"path": DECAY, "value": "1.8", "revision": 1},
        headers={"Play-Sample": "300000"},
    )
    assert fetched(second, 1).status_code == 200  # it is what the edit made
