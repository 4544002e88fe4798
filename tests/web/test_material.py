"""Bringing stems in: what is taken, what is refused, and that nothing is left behind."""

from urllib.parse import quote

import numpy as np
import pytest
from django.urls import reverse

from hallweb.songs.files import song_folder
from hallweb.songs.models import Song, Stem
from hallweb.songs.rows import load_plan
from tests.core.plans import write_stem
from tests.web.factories import make_song, make_user


@pytest.fixture
def empty_song(signed_in):
    response = signed_in.post(reverse("desk:new-song"), {"title": "Fresh", "bpm": "58", "beat": "1/4.", "meter": "6/8"})
    song = Song.objects.get(title="Fresh")
    assert response.url == reverse("desk:song", args=[song.pk])
    return song


def sound(tmp_path, name: str = "x.wav", *, seconds: float = 1.0, rate: int = 44100, channels: int = 1) -> bytes:
    noise = 0.1 * np.random.default_rng(0).standard_normal((channels, int(seconds * rate)))
    write_stem(tmp_path / name, noise, rate)
    return (tmp_path / name).read_bytes()


def upload(client, song: Song, name: str, content: bytes):
    return client.post(
        reverse("desk:receive-stem", args=[song.pk]),
        content,
        "application/octet-stream",
        headers={"X-File-Name": quote(name)},
    )


def take(client, song: Song):
    song.refresh_from_db()
    return client.post(reverse("desk:take-stems", args=[song.pk]), {"revision": song.head.number})


def test_a_new_song_has_its_tempo_and_meter_and_no_tracks(empty_song) -> None:
    plan = load_plan(empty_song)
    assert (plan.song.tempos[0].bpm, str(plan.song.tempos[0].beat)) == (58.0, "1/4.")
    assert (plan.song.meters[0].beats, plan.song.meters[0].unit) == (6, 8)
    assert plan.tracks == ()


@pytest.mark.parametrize(
    ("fields", "sentence"),
    [
        ({"bpm": "fast"}, "Type the tempo as a number"), ({"meter": "waltz"}, "the meter as 4/4 or 6/8"),
        ({"bpm": "900"}, "Expected a number from 10 to 400"), ({"meter": "4/5"}, "Expected one of 1, 2, 4, 8"),
        ({"title": ""}, "Expected a text of 1 to 120 characters"),
    ],
)  # fmt: skip
def test_a_song_that_cannot_be_made_keeps_what_was_typed(signed_in, fields, sentence: str) -> None:
    typed = {"title": "Odd Name", "bpm": "104", "beat": "1/4", "meter": "4/4", **fields}
    response = signed_in.post(reverse("desk:new-song"), typed)
    page = response.content.decode()
    assert response.status_code == 422
    assert sentence in page
    assert f'value="{typed["title"]}"' in page
    assert not Song.objects.exists()


def test_stems_come_in_and_become_tracks_in_one_edit(signed_in, empty_song, tmp_path) -> None:
    for name in ("Fresh_01 lead vox.wav", "Fresh_02 kick.wav", "Fresh_03 harp.flac"):
        assert upload(signed_in, empty_song, name, sound(tmp_path, "x" + name[-5:], seconds=40)).status_code == 200
    page = take(signed_in, empty_song).content.decode()
    empty_song.refresh_from_db()
    plan = load_plan(empty_song)
    assert [(t.name, plan.group(t.group).name) for t in plan.tracks] == [
        ("Lead Vox", "Voices"),
        ("Kick", "Drums"),
        ("Harp", "Strings"),
    ]
    assert plan.song.sample_rate == 44100
    assert plan.song.end_sample >= 40 * 44100
    assert 'id="strip"' in page
    assert "Lead Vox" in page
    assert empty_song.head.label == "Add stems"
    signed_in.post(reverse("desk:undo", args=[empty_song.pk]), {"revision": empty_song.head.number, "view": "song"})
    assert load_plan(empty_song).tracks == ()
    page = signed_in.get(reverse("desk:song", args=[empty_song.pk])).content.decode()
    assert "3 stems came in but are no tracks yet" in page


def test_names_cannot_lead_out_of_the_folder_and_never_collide(signed_in, empty_song, tmp_path) -> None:
    content = sound(tmp_path)
    for name in ("../../evil.wav", "C:\\temp\\evil.wav", "evil.wav", "näme \u2603/<b>.wav"):
        assert upload(signed_in, empty_song, name, content).status_code == 200
    stored = sorted(path.name for path in (song_folder(empty_song.pk) / "stems").iterdir())
    assert stored == ["_b_.wav", "evil 2.wav", "evil 3.wav", "evil.wav"]
    take(signed_in, empty_song)
    assert len(load_plan(empty_song).tracks) == 4


@pytest.mark.parametrize(
    ("name", "content", "sentence"),
    [
        ("notes.txt", b"hello", "is not a kind of sound file"), ("a.wav", b"", "cannot be read as sound"),
        ("a.wav", b"RIFF\x24\x00\x00\x00WAVE", "cannot be read as sound"), ("", b"x", "is not a kind of sound file"),
    ],
)  # fmt: skip
def test_what_is_no_sound_is_refused_and_leaves_nothing(signed_in, empty_song, name, content, sentence: str) -> None:
    response = upload(signed_in, empty_song, name, content)
    assert response.status_code == 422
    assert sentence in response.json()["error"]
    folder = song_folder(empty_song.pk) / "stems"
    assert not folder.exists() or list(folder.iterdir()) == []
    assert not Stem.objects.filter(song=empty_song).exists()


def test_more_than_two_channels_are_refused(signed_in, empty_song, tmp_path) -> None:
    response = upload(signed_in, empty_song, "a.wav", sound(tmp_path, channels=5))
    assert "has 5 channels; expected one (mono) or two (stereo)" in response.json()["error"]


def test_a_full_disk_is_said_and_leaves_nothing(signed_in, empty_song, tmp_path, monkeypatch) -> None:
    def full(*_args: object) -> str:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("hallweb.songs.uploads.content_hash", full)
    response = upload(signed_in, empty_song, "a.wav", sound(tmp_path))
    assert response.status_code == 422
    assert "The disk is full" in response.json()["error"]
    assert list((song_folder(empty_song.pk) / "stems").iterdir()) == []


def test_a_connection_that_breaks_leaves_nothing(empty_song) -> None:
    from django.http import UnreadablePostError

    from hallweb.songs.uploads import UploadError, receive_stem

    chunks = [b"RIFF" + bytes(1000)]

    def read(_size: int) -> bytes:
        if chunks:
            return chunks.pop()
        raise UnreadablePostError

    with pytest.raises(UploadError, match="the connection broke"):
        receive_stem(empty_song, "a.wav", read)
    assert list((song_folder(empty_song.pk) / "stems").iterdir()) == []


def test_each_row_tells_what_its_stem_is_like_and_keeps_it(signed_in, song, django_assert_max_num_queries) -> None:
    address = reverse("desk:material", args=[song.pk, "voice"])
    page = signed_in.get(address).content.decode()
    assert "LUFS" in page
    assert "dBFS" in page
    assert Stem.objects.get(song=song, path="voice.wav").material["peak_db"] < 0
    with django_assert_max_num_queries(16):
        assert signed_in.get(address).content.decode() == page


@pytest.mark.parametrize(
    ("field", "value", "expected"),
    [
        ("name", "Alto", lambda t: t.name == "Alto"), ("level_db", "-4,5", lambda t: t.level_db == -4.5),
        ("pan", "-30", lambda t: t.pan == -0.3), ("mute", "", lambda t: t.mute), ("group", "band", lambda t: t.group == "band"),
        ("group", "", lambda t: t.group is None),
    ],
)  # fmt: skip
def test_a_tracks_fields_are_set(signed_in, song, field: str, value: str, expected) -> None:
    address = reverse("desk:set-track", args=[song.pk, "voice"])
    response = signed_in.post(address, {"revision": 1, "field": field, "value": value})
    assert response.status_code == 200
    assert expected(load_plan(song).track("voice"))


def test_what_a_track_cannot_be_is_said(signed_in, song) -> None:
    address = reverse("desk:set-track", args=[song.pk, "voice"])
    assert signed_in.post(address, {"revision": 1, "field": "pan", "value": "200"}).status_code == 422
    assert signed_in.post(address, {"revision": 1, "field": "group", "value": "brass"}).status_code == 422
    assert signed_in.post(address, {"revision": 1, "field": "colour", "value": "red"}).status_code == 404
    assert load_plan(song).track("voice").pan == 0.3


def test_a_track_is_removed_with_its_sends(signed_in, song) -> None:
    signed_in.post(reverse("desk:remove-track", args=[song.pk, "voice"]), {"revision": 1})
    plan = load_plan(song)
    assert [t.id for t in plan.tracks] == ["harp", "drum"]
    assert not [s for s in plan.sends if s.source == "voice"]


@pytest.mark.parametrize(
    "name",
    ["desk:song", "desk:material", "desk:receive-stem", "desk:take-stems", "desk:set-track", "desk:remove-track"],
)
def test_strangers_find_nothing_here(stranger, song, name: str) -> None:
    extra = ["voice"] if name in {"desk:material", "desk:set-track", "desk:remove-track"} else []
    address = reverse(name, args=[song.pk, *extra])
    method = stranger.get if name in {"desk:song", "desk:material"} else stranger.post
    assert method(address).status_code == 404
    assert Stem.objects.filter(song=song).count() == 3


def test_forty_tracks_take_as_many_queries_as_three(signed_in, django_assert_max_num_queries) -> None:
    owner = make_user("many")
    for tracks in (3, 40):
        song = make_song(owner, tracks=tracks)
        signed_in.force_login(owner)
        with django_assert_max_num_queries(16):
            assert signed_in.get(reverse("desk:song", args=[song.pk])).status_code == 200
