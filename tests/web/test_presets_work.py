"""Presets of returns through the web: saved by a user, applied to other songs, varied, exported and imported."""

import json

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from hallweb.songs.models import Preset, Song
from highhall.plan.sets import set_document, set_from_document
from tests.web.factories import make_song, make_user, stored_plan
from tests.web.test_returns_work import get, post, undo


def test_a_return_is_kept_and_taken_into_another_song_larger(signed_in, user, song) -> None:
    answer = post(
        signed_in, "returns:save-preset", song, **{"return": "hall", "name": "My hall", "note": "for strings"}
    )
    assert answer.content.decode().strip() == '<p class="text-info pb-2" role="status">Saved My hall.</p>'
    row = Preset.objects.get(owner=user)
    other = make_song(user)
    assert "My hall" in get(signed_in, "returns:show", other, panel="presets").content.decode()
    post(signed_in, "returns:apply-preset", other, set=f"preset:{row.pk}", output="band", size="1.3", steps="1")
    taken = stored_plan(other).returns[-1]
    assert (taken.name, taken.output) == ("hall 2", "band")
    assert taken.chain[0].number("decay_s") == pytest.approx(1.95)
    assert str(taken.chain[0].time("pre_delay")) == "1/8T"
    undo(signed_in, other)
    assert len(stored_plan(other).returns) == 2


def test_all_returns_are_copied_for_another_group_with_their_sends(signed_in, song) -> None:
    post(signed_in, "returns:apply-preset", song, set="all", output="band", size="0.7", steps="0")
    plan = stored_plan(song)
    assert [r.id for r in plan.returns] == ["plate", "hall", "plate-2", "hall-2"]
    assert plan.send("plate-2", "hall-2") is not None


def test_a_starting_set_is_taken(signed_in, song) -> None:
    assert "Slow and wide" in get(signed_in, "returns:show", song, panel="presets").content.decode()
    post(signed_in, "returns:apply-preset", song, set="start:one-room")
    assert [r.name for r in stored_plan(song).returns[2:]] == ["Room", "Chamber", "Eighths"]


def test_a_set_with_an_impulse_response_brings_its_sound_along(signed_in, user, song) -> None:
    import numpy as np

    from tests.web.test_returns_work import wav

    file = SimpleUploadedFile("cellar.wav", wav(np.exp(-np.arange(9600) / 900) * 0.5))
    post(signed_in, "returns:add-response", song, file=file)
    post(signed_in, "returns:save-preset", song, **{"return": "cellar", "name": "Cellar"})
    other = make_song(user)
    post(signed_in, "returns:apply-preset", other, set=f"preset:{Preset.objects.get().pk}")
    assert other.responses.get().path == "responses/cellar.wav"
    assert "measured-hit" in get(signed_in, "returns:hit", other, "cellar").content.decode()


def test_a_set_goes_out_as_json_and_comes_back(signed_in, song) -> None:
    post(signed_in, "returns:save-preset", song, name="Both", note="")
    row = Preset.objects.get()
    answer = signed_in.get(reverse("returns:export-preset", args=[row.pk]))
    assert 'filename="both.json"' in answer["Content-Disposition"]
    document = json.loads(answer.content)
    assert set_document(set_from_document(document)) == document
    post(signed_in, "returns:remove-preset", song, str(row.pk))
    assert not Preset.objects.exists()
    post(signed_in, "returns:import-preset", song, file=SimpleUploadedFile("both.json", answer.content))
    assert Preset.objects.get().document == document


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"\xff\xfe", "is not JSON"),
        (b"{", "not JSON"),
        (b'{"format": "other"}', "high-hall-returns"),
        (b'{"format": "high-hall-returns", "version": 1, "name": "x", "returns": [{"id": "a", "chain": [{"kind": "foam"}]}]}', "foam"),
        (b'{"format": "high-hall-returns", "version": 1, "name": "x", "returns": [{"id": "a", "chain": [{"kind": "impulse", "params": {"ir": "responses/far.wav"}}]}]}', "which is not here"),
    ],
)  # fmt: skip
def test_what_is_no_set_is_refused_with_a_reason(signed_in, song, content: bytes, words: str) -> None:
    answer = post(signed_in, "returns:import-preset", song, file=SimpleUploadedFile("set.json", content))
    assert answer.status_code == 422
    assert words in answer.content.decode()
    assert not Preset.objects.exists()


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ({"set": "all", "size": "huge"}, "Type a size such as 1.3"),
        ({"set": "all", "size": "9"}, "Size goes from 0.25 to 4"),
    ],
)
def test_a_variation_that_cannot_be_is_said(signed_in, song, fields: dict[str, str], words: str) -> None:
    answer = post(signed_in, "returns:apply-preset", song, **fields)
    assert answer.status_code == 422
    assert words in answer.content.decode()


def test_a_name_is_kept_once_and_a_set_needs_one(signed_in, song) -> None:
    post(signed_in, "returns:save-preset", song, name="Both")
    assert "already" in post(signed_in, "returns:save-preset", song, name="Both").content.decode()
    assert post(signed_in, "returns:save-preset", song, name=" ").status_code == 422
    assert Preset.objects.count() == 1


def test_nobody_reaches_anothers_sets(signed_in, user, client) -> None:
    song: Song = make_song(user)
    post(signed_in, "returns:save-preset", song, name="Both")
    row = Preset.objects.get()
    mallory = make_user("mallory")
    theirs = make_song(mallory)
    client.force_login(mallory)
    assert client.get(reverse("returns:export-preset", args=[row.pk])).status_code == 404
    assert post(client, "returns:apply-preset", theirs, set=f"preset:{row.pk}").status_code == 404
    assert post(client, "returns:remove-preset", theirs, str(row.pk)).status_code == 404
    assert Preset.objects.exists()
