"""Pieces over HTTP: what is listed can be fetched, and nothing else can."""

import io

import numpy as np
import pytest
import soundfile as sf
from django.urls import reverse

from hallweb.audition.pieces import HEADROOM
from hallweb.songs import actions
from hallweb.songs.files import pieces_folder
from hallweb.songs.revisions import plan_of
from hallweb.songs.stems import open_stems, song_sounds
from highhall.plan import edits
from highhall.render import Engine
from tests.web.factories import make_user


@pytest.fixture
def manifest(signed_in, song):
    return signed_in.get(reverse("audition:manifest", args=[song.pk])).json()


def piece_url(manifest, lane: str, index: int) -> str:
    key = next(entry for entry in manifest["lanes"] if entry["id"] == lane)["keys"][index]
    return manifest["pieceUrl"].replace("LANE", lane).replace("INDEX", str(index)).replace("KEY", key)


def fetched(client, url: str) -> np.ndarray:
    response = client.get(url)
    assert response.status_code == 200
    assert response["Content-Type"] == "audio/flac"
    assert "immutable" in response["Cache-Control"]
    return sf.read(io.BytesIO(response.content), dtype="float64")[0].T * HEADROOM


def test_the_manifest_lists_every_lane_and_beat(manifest) -> None:
    assert [lane["id"] for lane in manifest["lanes"]] == ["dry", "plate", "hall"]
    assert manifest["beats"][:5] == [[0, 1, 1], [24000, 1, 2], [48000, 1, 3], [72000, 1, 4], [96000, 2, 1]]
    assert manifest["endSample"] == 8 * 48000
    assert len(manifest["lanes"][0]["keys"]) * manifest["pieceFrames"] >= manifest["stopSample"]


def test_the_manifest_takes_as_many_queries_whatever_the_length(
    signed_in, song, manifest, django_assert_max_num_queries
) -> None:
    with django_assert_max_num_queries(8):
        signed_in.get(reverse("audition:manifest", args=[song.pk]))


def test_pieces_one_after_another_are_the_song(signed_in, song, manifest) -> None:
    plan = plan_of(song.head.pk)
    engine = Engine(plan, open_stems(song_sounds(song.pk), 48000))
    whole = engine.advance(3 * manifest["pieceFrames"])
    for lane, expected in (("dry", whole.dry), ("hall", whole.returns["hall"])):
        heard = np.concatenate([fetched(signed_in, piece_url(manifest, lane, index)) for index in range(3)], axis=1)
        assert np.abs(heard - expected).max() < 2 * HEADROOM / 2**23


def test_an_edit_changes_the_keys_of_the_lanes_it_touches_only(signed_in, song, manifest) -> None:
    actions.edit_plan(song.pk, 1, "Louder", lambda plan: edits.set_return(plan, "hall", level_db=2.0))
    after = signed_in.get(reverse("audition:manifest", args=[song.pk])).json()
    keys = [{lane["id"]: lane["keys"] for lane in m["lanes"]} for m in (manifest, after)]
    assert keys[0]["dry"] == keys[1]["dry"]
    assert keys[0]["plate"] == keys[1]["plate"]
    assert not set(keys[0]["hall"]) & set(keys[1]["hall"])


def test_a_made_up_key_or_lane_is_404(signed_in, manifest) -> None:
    url = piece_url(manifest, "dry", 0)
    assert signed_in.get(url.replace(url[-13:-5], "00000000")).status_code == 404
    assert signed_in.get(url.replace("/dry/", "/attic/")).status_code == 404
    assert signed_in.get(url.replace("/1/dry/", "/7/dry/")).status_code == 404


def test_another_users_piece_is_404_even_when_it_lies_on_disk(signed_in, client, manifest) -> None:
    url = piece_url(manifest, "plate", 1)
    fetched(signed_in, url)
    client.force_login(make_user("mallory"))
    assert client.get(url).status_code == 404


def test_a_piece_that_cannot_be_stored_is_heard_all_the_same_and_nothing_half_written_is_left(
    signed_in, manifest, monkeypatch
) -> None:
    def break_off(*_args: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("pathlib.Path.write_bytes", break_off)
    url = piece_url(manifest, "hall", 2)
    assert fetched(signed_in, url).any()
    monkeypatch.undo()
    assert not [path for path in pieces_folder().rglob("*") if path.is_file()]
