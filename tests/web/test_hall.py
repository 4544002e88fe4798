"""The Hall screen over HTTP: places, what is asked and proposed, edits, hearing a proposal."""

import re

import pytest
from django.core.cache import cache
from django.urls import reverse

from hallweb.analysis.depth import ready_model
from hallweb.audition.proposals import keep_proposal, proposed_plan
from hallweb.songs.actions import edit_plan
from hallweb.songs.sounds import song_sounds
from highhall.plan.edits import remove_return, set_return, set_targets, set_tracks
from tests.web.factories import large_song, shown, stored_plan
from tests.web.test_audition import listed, sound

pytestmark = pytest.mark.django_db


def hall(client, song, **said):
    return client.get(reverse("hall:show", args=[song.pk]), said)


def post(client, song, name: str, **said):
    song.refresh_from_db()
    address = reverse(f"hall:{name}", args=[song.pk])
    return client.post(address, {"revision": song.head.number, "view": "hall", **said}, headers={"HX-Request": "true"})


def test_the_page_has_every_instrument_from_front_to_back_and_the_song_from_side(signed_in, song) -> None:
    page = shown(hall(signed_in, song, section="a"))
    for source in ("voice", "harp", "drum"):
        assert f'data-place="{source}"' in page
        assert f'data-token="{source}"' in page
    assert 'data-roof="b"' in page
    assert "Show Verse as ghosts" not in page  # nothing is before the first section
    assert "Show Verse as ghosts" in shown(hall(signed_in, song, section="b"))


def test_until_the_stems_are_read_the_page_says_so_and_asks_again(signed_in, song, monkeypatch) -> None:
    monkeypatch.setattr("hallweb.audition.wetness.ready_model", lambda *_: None)
    page = shown(hall(signed_in, song))
    assert "The stems are being read" in page
    assert 'data-news="measured"' in page


def test_silent_and_dry_sources_are_said_so_and_have_no_token(signed_in, song) -> None:
    edit_plan(song.pk, 1, "Later", lambda plan: set_tracks(plan, ["voice"], start_s=4.0))
    page = shown(hall(signed_in, song, section="a", source="voice"))
    assert 'data-token="voice"' not in page
    assert "It is silent in Verse: there is nothing to place." in page


def test_what_is_asked_is_answered_with_sends_that_can_be_refused(signed_in, song) -> None:
    page = shown(hall(signed_in, song, section="b", source="voice", asked="6"))
    assert "Proposed sends, dB" in page
    assert 'data-refuse="plate"' in page
    assert "Middle" in page or "Back" in page
    refused = shown(hall(signed_in, song, section="b", source="voice", asked="6", refused="plate"))
    assert 'class="is-refused"' in refused
    nothing = shown(hall(signed_in, song, section="b", source="voice", asked="6", refused=["plate", "hall"]))
    assert "No return with a space may change for voice" in nothing
    far = shown(hall(signed_in, song, section="b", source="voice", asked="55"))
    assert "not farther than" in far


@pytest.mark.parametrize("asked", ["", "far", "nan"])
def test_a_distance_that_is_none_is_not_asked(signed_in, song, asked: str) -> None:
    assert "Proposed sends" not in shown(hall(signed_in, song, section="b", source="voice", asked=asked))


def test_applying_is_one_edit_that_sets_sends_and_the_target(signed_in, song) -> None:
    answer = post(signed_in, song, "apply", section="b", source="voice", asked="6", scope="section")
    assert answer.status_code == 200
    plan = stored_plan(song)
    assert [(t.source, t.section, t.distance_m) for t in plan.targets] == [("voice", "b", 6.0)]
    song.refresh_from_db()
    assert (song.head.number, song.head.label) == (2, "voice to 6.0 m in Refrain")
    page = shown(hall(signed_in, song, section="b", source="voice"))
    assert "<b>6.0</b>" in page
    assert "Wanted at 6.0 m" in page
    post(signed_in, song, "forget", section="b", source="voice")
    assert stored_plan(song).targets == ()


def test_scopes_are_a_section_those_alike_and_the_song(signed_in, song) -> None:
    post(signed_in, song, "apply", section="b", source="voice", asked="5", scope="song", refused="hall")
    plan = stored_plan(song)
    assert [(t.source, t.section) for t in plan.targets] == [("voice", None)]
    assert plan.send("voice", "hall").level_db == -16.0  # refused
    assert plan.send("voice", "plate").level_db != -10.0


def test_a_drifted_source_is_told_and_placed_again(signed_in, song) -> None:
    post(signed_in, song, "apply", section="b", source="voice", asked="6")
    assert "place again" not in shown(hall(signed_in, song))
    edit_plan(song.pk, 2, "Hall", lambda plan: set_return(plan, "hall", level_db=6.0))
    assert "1 drifted: place again" in shown(hall(signed_in, song))
    assert post(signed_in, song, "again").status_code == 200
    assert "place again" not in shown(hall(signed_in, song))


def test_pans_roofs_and_the_room_are_edits(signed_in, song) -> None:
    post(signed_in, song, "set-pan", source="voice", pan="-40")
    assert stored_plan(song).track("voice").pan == -0.4
    before = stored_plan(song)
    assert post(signed_in, song, "deepen", deepened="b", factor="1.3").status_code == 200
    assert len(stored_plan(song).moves) == len(before.moves) + 2  # one value a space
    assert "from 0.1 to 10" in shown(post(signed_in, song, "deepen", deepened="b", factor="deep"))
    assert "wet = dry at 8.1 m" in shown(hall(signed_in, song))
    post(signed_in, song, "space", room="chamber")
    assert "wet = dry at 2.2 m" in shown(hall(signed_in, song))
    post(signed_in, song, "space", field="volume_m3", value="5000")
    assert stored_plan(song).space.volume_m3 == 5000
    assert "Type a number" in shown(post(signed_in, song, "space", field="decay_s", value="long"))
    assert "0.1 to 15" in shown(post(signed_in, song, "space", field="decay_s", value="99"))


def test_a_proposal_is_heard_as_the_edit_would_be_before_it_is_made(signed_in, song) -> None:
    page = hall(signed_in, song, section="a", source="voice", asked="6", scope="song").content.decode()
    version = page.split('data-compare-with="')[1].split('"')[0]
    assert version.startswith("proposal:")
    proposed = listed(signed_in, song, version=version)
    heard = {lane["id"]: sound(signed_in, proposed, lane["id"], 1) for lane in proposed["lanes"]}
    address = reverse("audition:loudness", args=[song.pk])
    loudness = signed_in.get(address, {"from": 0, "to": 96000, "version": version}).json()
    now = signed_in.get(address, {"from": 0, "to": 96000}).json()
    assert loudness["full"] != pytest.approx(now["full"], abs=0.05)
    assert loudness["dry"] == pytest.approx(now["dry"], abs=0.01)
    post(signed_in, song, "apply", section="a", source="voice", asked="6", scope="song")
    after = listed(signed_in, song)
    assert {lane: sound(signed_in, after, lane, 1).tolist() for lane in heard} == {
        k: v.tolist() for k, v in heard.items()
    }


def test_a_proposal_that_is_kept_no_more_is_said_to_be_and_heard_as_soon_as_it_is_made_again(signed_in, song) -> None:
    plan = set_targets(stored_plan(song), {("voice", None): 3.0})
    version = keep_proposal(plan)
    assert proposed_plan(version) == plan
    cache.clear()
    list_, segment = (
        reverse("audition:manifest", args=[song.pk]),
        reverse("audition:segment", args=[song.pk, 1, "dry", 0, "a" * 32]),
    )
    for address in (list_, segment):
        answer = signed_in.get(address, {"version": version})
        assert (answer.status_code, answer.content.decode()) == (
            422,
            "the proposal is no longer kept: reload the page, which makes it again",
        )
    keep_proposal(plan)
    assert listed(signed_in, song, version=version)["lanes"]


@pytest.mark.parametrize(
    ("name", "said"),
    [
        ("apply", {"source": "lute", "asked": "3"}),
        ("apply", {"source": "voice"}),
        ("set-pan", {"source": "voice", "pan": "140"}),
        ("deepen", {"deepened": "z", "factor": "2"}),
        ("forget", {"source": "voice"}),
        ("space", {"field": "colour", "value": "1"}),
    ],
)
def test_what_the_page_never_sends_is_404(signed_in, song, name: str, said: dict[str, str]) -> None:
    assert post(signed_in, song, name, **said).status_code == 404


def test_forty_tracks_have_a_row_each_and_as_many_names_as_there_is_room_for(
    signed_in, user, django_assert_max_num_queries
) -> None:
    song = large_song(user)
    hall(signed_in, song)
    with django_assert_max_num_queries(12):
        page = hall(signed_in, song, section="a").content.decode()
    assert page.count("data-place=") == 40
    assert page.count("Drag it up or down for distance") == 40
    assert 3 < page.count('class="hall-name') <= 24  # all of them stand at two places


def test_a_stranger_sees_nothing(client, song) -> None:
    assert client.get(reverse("hall:show", args=[song.pk])).status_code == 302


def test_an_edit_before_the_stems_are_read_is_refused_in_a_sentence(signed_in, song, monkeypatch) -> None:
    monkeypatch.setattr("hallweb.analysis.depth.prepare", lambda *_: None)
    answer = post(signed_in, song, "apply", section="b", source="voice", asked="6")
    assert answer.status_code == 422
    assert "The stems are still being read" in shown(answer)


def test_a_source_is_heard_alone_and_it_is_said_whether_that_is_as_predicted(signed_in, song, monkeypatch) -> None:
    address = reverse("hall:measured", args=[song.pk])
    said = {"section": "b", "source": "voice"}
    hall(signed_in, song, **said)
    first = shown(signed_in.get(address, said))
    assert "being heard alone" in first
    assert "heard so, " in shown(signed_in.get(address, said))
    monkeypatch.setattr("hallweb.screens.hall.views.heard_wetness", lambda *_: -30.0)
    assert "heard at 0.3 m" in shown(signed_in.get(address, said))
    assert signed_in.get(address, {"section": "b"}).status_code == 204  # it was removed meanwhile


def propose(client, song, **said) -> str:
    return shown(client.get(reverse("hall:propose", args=[song.pk]), said))


def test_a_hall_is_proposed_for_a_song_without_returns_shown_heard_and_taken_as_one_edit(signed_in, song) -> None:
    def bare(plan):
        for key in ("plate", "hall"):
            plan = remove_return(plan, key)
        return set_tracks(plan, ["voice"], name="Lead Voice")

    edit_plan(song.pk, 1, "Bare", bare)
    hall(signed_in, song)
    assert "is being worked out" in propose(signed_in, song)
    page = propose(signed_in, song)
    assert "room, 0.5 s, new" in " ".join(page.split())
    assert re.search(r"30 dB down [\d.]+ beat before the next (beat|backbeat)", page)
    assert "leads: Room" in " ".join(page.split())
    assert "3 instruments with new sends" in page
    assert 'data-compare-with="proposal:' in page
    assert stored_plan(song).returns == ()
    moved = {"place-voice": "back", "place-harp": "2.5", "left": "drum", "verses": "1"}
    propose(signed_in, song, **moved)
    page = propose(signed_in, song, **moved)
    assert "2 instruments with new sends" in page
    assert 'class="is-refused"' in page
    assert post(signed_in, song, "take", **moved).status_code == 200
    plan = stored_plan(song)
    song.refresh_from_db()
    assert (song.head.number, song.head.label) == (3, "Proposed hall")
    assert {(t.source, t.distance_m) for t in plan.targets} == {("voice", 8.0), ("harp", 2.5)}
    assert {send.source for send in plan.sends} == {"voice", "harp"}
    assert not plan.moves  # verses are as deep as the rest


def test_a_section_of_a_proposed_hall_is_made_deeper(signed_in, song) -> None:
    said = {"factor-b": "1.5", "factor-a": "nonsense"}
    hall(signed_in, song)
    propose(signed_in, song, **said)
    page = propose(signed_in, song, **said)
    assert 'data-factor="1.5"' in page
    assert 'data-factor="0.85"' in page
    before = ready_model(song_sounds(song.pk), stored_plan(song))
    assert post(signed_in, song, "take", **said).status_code == 200
    after = ready_model(song_sounds(song.pk), stored_plan(song))
    assert before is not None
    assert after is not None
    far = {section: after.distance_m("voice", section) or 0.0 for section in ("a", "b")}
    assert far["b"] / far["a"] > 1.2
    assert {value.section for move in stored_plan(song).moves for value in move.sections} >= {"b"}


def test_where_nothing_can_be_proposed_the_page_says_why(signed_in, song) -> None:
    dry = {f"place-{key}": "dry" for key in ("voice", "harp", "drum")}
    hall(signed_in, song)
    propose(signed_in, song, **dry)
    assert "Nothing is to be placed: no track that sounds has a place" in propose(signed_in, song, **dry)
    assert post(signed_in, song, "take", **dry).status_code == 422
