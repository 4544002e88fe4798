"""Versions through the web: kept, compared, taken from, opened; and what blind listening has shown."""

import pytest
from django.urls import reverse

from hallweb.songs.models import Version
from highhall.advise.preference import chance_of_guessing
from tests.web.factories import make_song, make_user, shown, stored_plan
from tests.web.test_returns_work import get, post, undo


@pytest.fixture
def version(signed_in, song):
    post(signed_in, "versions:keep-version", song, name="First")
    return Version.objects.get(song=song)


def set_level(client, song, text, section=""):
    post(client, "sends:set-send", song, source="voice", target="plate", field="level", section=section, value=text)


def page(client, song, version=None):
    return shown(get(client, "versions:show", song, **({"with": version.pk} if version else {})))


def test_a_name_is_kept_for_what_is_there_and_only_once(signed_in, song, version) -> None:
    assert version.revision.number == 1
    refused = signed_in.post(reverse("versions:keep-version", args=[song.pk]), {"name": "First", "revision": 1})
    assert refused.status_code == 422
    assert "There is a version called" in refused.content.decode()
    empty = signed_in.post(reverse("versions:keep-version", args=[song.pk]), {"name": "  ", "revision": 1})
    assert empty.status_code == 422
    assert "as it is now" in page(signed_in, song)


def test_differences_are_told_in_words_and_figures(signed_in, song, version) -> None:
    set_level(signed_in, song, "-4")
    set_level(signed_in, song, "-2.5", section="b")
    html = page(signed_in, song, version)
    assert "2 differences between now and First" in html
    for text in ("voice to plate", "−4.0 dB", "−10.0 dB", "−6.0 dB", "in Refrain", "−2.5 dB", "as in the song"):
        assert text in html, text


def test_one_difference_is_taken_over_and_undone(signed_in, song, version) -> None:
    set_level(signed_in, song, "-4")
    set_level(signed_in, song, "-2.5", section="b")
    address = reverse("versions:take-difference", args=[song.pk, version.pk])
    song.refresh_from_db()
    answer = signed_in.post(
        address, {"revision": song.head.number, "key": "send/voice/plate/level_db", "what": "Level of voice to plate"}
    )
    assert answer.status_code == 200
    plan = stored_plan(song)
    assert plan.send("voice", "plate").level_db == -10
    assert plan.moves  # the other one stays
    assert "1 difference between" in shown(answer)
    undo(signed_in, song)
    assert stored_plan(song).send("voice", "plate").level_db == -4
    stale = signed_in.post(address, {"revision": 1, "key": "send/voice/plate/level_db"})
    assert stale.status_code == 409
    song.refresh_from_db()
    gone = signed_in.post(address, {"revision": song.head.number, "key": "send/none"})
    assert (gone.status_code, "no longer there" in gone.content.decode()) == (422, True)


def test_opening_a_version_is_an_edit_that_undo_takes_back(signed_in, song, version) -> None:
    set_level(signed_in, song, "-4")
    song.refresh_from_db()
    answer = signed_in.post(
        reverse("versions:open-version", args=[song.pk, version.pk]), {"revision": song.head.number}
    )
    assert "Nothing differs" in answer.content.decode()
    assert stored_plan(song).send("voice", "plate").level_db == -10
    undo(signed_in, song)
    assert stored_plan(song).send("voice", "plate").level_db == -4
    version.refresh_from_db()
    assert version.revision.number == 1


def test_removing_a_version_takes_its_name_only(signed_in, song, version) -> None:
    signed_in.post(reverse("versions:remove-version", args=[song.pk, version.pk]))
    assert not Version.objects.exists()
    assert song.revisions.filter(number=1).exists()


def test_undo_draws_the_versions_anew(signed_in, song, version) -> None:
    set_level(signed_in, song, "-4")
    song.refresh_from_db()
    answer = signed_in.post(
        reverse("history:undo", args=[song.pk]), {"revision": song.head.number, "view": "versions", "with": version.pk}
    )
    assert "Nothing differs" in answer.content.decode()


def test_the_verdict_says_how_sure_it_is(signed_in, song) -> None:
    def verdict(chosen, rounds=6):
        answer = signed_in.get(reverse("versions:verdict", args=[song.pk]), {"chosen": chosen, "rounds": rounds})
        return shown(answer)

    assert "<b>B</b> in 6 of 6" in verdict(6)
    assert "3 % of cases: <b>you can tell them apart" in verdict(6)
    assert "<b>A</b> in 5 of 6" in verdict(1)
    assert "no difference is shown" in verdict(3)
    for bad in ({"chosen": 7, "rounds": 6}, {"chosen": 0, "rounds": 0}, {"chosen": "x", "rounds": 6}):
        assert signed_in.get(reverse("versions:verdict", args=[song.pk]), bad).status_code == 404


def test_chance_is_the_two_sided_sign_test() -> None:
    assert chance_of_guessing(6, 6) == pytest.approx(2 / 64)
    assert chance_of_guessing(1, 6) == pytest.approx(14 / 64)
    assert chance_of_guessing(3, 6) == 1
    with pytest.raises(ValueError, match="no result"):
        chance_of_guessing(3, 2)


def test_versions_of_others_are_404(signed_in, user, client) -> None:
    other = make_song(make_user("mallory"))
    theirs = Version.objects.create(song=other, name="Theirs", revision=other.head)
    own = make_song(user)
    for name in ("open-version", "take-difference", "remove-version"):
        for song in (other, own):
            assert (
                signed_in.post(reverse(f"versions:{name}", args=[song.pk, theirs.pk]), {"revision": 1}).status_code
                == 404
            )
    assert Version.objects.filter(pk=theirs.pk).exists()
