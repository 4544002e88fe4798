"""Whole songs as files, in the application: saved, opened, all at once; and what is refused."""

import io
import zipfile
from html import unescape

import pytest
from django.urls import reverse

from hallweb.songs.actions import edit_plan
from hallweb.songs.files import song_folder, upload_file
from hallweb.songs.models import ImpulseResponse, Song, Stem, Upload
from hallweb.songs.responses import bring_in
from highhall.plan.edits import add_return, effect_of_kind, rename_song
from tests.web.factories import make_song, make_user, shown, stored_plan
from tests.web.stems import sound, upload_song


def saved(client, song: Song) -> bytes:
    return client.get(reverse("handoff:export", args=[song.pk, "song"])).getvalue()


def test_a_song_that_was_saved_opens_as_a_song_of_its_own(signed_in, song) -> None:
    content = saved(signed_in, song)
    answer = upload_song(signed_in, "lantern.zip", content)
    assert answer.status_code == 200
    opened = Song.objects.exclude(pk=song.pk).get()
    assert answer.json() == {"page": opened.get_absolute_url()}
    plan = stored_plan(song)
    assert stored_plan(opened) == rename_song(plan, f"{plan.song.title} 2"), "the title was taken"
    assert opened.head.label == "Opened from lantern.zip"
    hashes = [dict(Stem.objects.filter(song=each).values_list("path", "content_hash")) for each in (song, opened)]
    assert hashes[0] == hashes[1]
    for path in hashes[0]:
        assert (song_folder(opened.pk) / path).read_bytes() == (song_folder(song.pk) / path).read_bytes()
    assert not Upload.objects.exists()
    assert list(upload_file(0).parent.iterdir()) == []
    again = zipfile.ZipFile(io.BytesIO(saved(signed_in, opened)))
    assert {info.filename for info in again.infolist()} == {
        info.filename for info in zipfile.ZipFile(io.BytesIO(content)).infolist()
    }


def test_somebody_else_may_open_it_and_it_keeps_its_title_and_responses(client, song_with_impulse) -> None:
    client.force_login(song_with_impulse.owner)
    content = saved(client, song_with_impulse)
    client.force_login(other := make_user("other"))
    assert upload_song(client, "song.zip", content).status_code == 200
    opened = Song.objects.get(owner=other)
    assert opened.title == song_with_impulse.title
    assert ImpulseResponse.objects.filter(song=opened).count() == 1


@pytest.fixture
def song_with_impulse(song, tmp_path) -> Song:
    """A song in which a response that was brought in is used."""
    path = bring_in(song, "Tank.wav", [sound(tmp_path, "tank.wav", seconds=0.5, rate=48000)])
    effect = effect_of_kind("impulse", "space", {"ir": path})
    edit_plan(song.pk, 1, "Tank", lambda plan: add_return(plan, "Tank", (effect,))[0])
    return song


@pytest.mark.parametrize(
    ("make", "sentence"),
    [
        (lambda good: good[:-40], '"song.zip" is damaged or no ZIP archive'),
        (lambda good: b"no archive", '"song.zip" is damaged or no ZIP archive'),
        (lambda good: _with(good, "stems/extra.wav", b"x"), 'holds "stems/extra.wav", which its manifest does not list'),
        (lambda good: _archive({"lantern.zip": good}), "holds other archives; unpack it and open the songs in it"),
    ],
    ids=["torn", "text", "more", "all-songs"],
)  # fmt: skip
def test_what_is_no_song_is_one_sentence_and_leaves_nothing(signed_in, song, make, sentence: str) -> None:
    answer = upload_song(signed_in, "song.zip", make(saved(signed_in, song)))
    assert answer.status_code == 422
    assert sentence in answer.json()["error"]
    assert ".part" not in answer.json()["error"]
    assert Song.objects.count() == 1
    assert not Upload.objects.exists()
    assert list(upload_file(0).parent.iterdir()) == []


def test_a_stem_that_cannot_be_heard_is_refused_before_there_is_a_song(signed_in, song, tmp_path) -> None:
    path = next(iter(song.stems.all())).path
    (song_folder(song.pk) / path).write_bytes(sound(tmp_path, channels=1)[:3000])
    answer = upload_song(signed_in, "song.zip", saved(signed_in, song))
    assert answer.status_code == 422
    assert f'"{path}" is cut off' in answer.json()["error"]
    assert Song.objects.count() == 1


def test_only_an_archive_is_taken_as_a_song(signed_in) -> None:
    assert (
        "is no song: a song that was saved as a file is a ZIP archive"
        in upload_song(signed_in, "a.wav", b"x").json()["error"]
    )


def test_all_songs_are_saved_as_one_archive_each_and_others_are_not_in_it(signed_in, song, user) -> None:
    make_song(user)
    make_song(make_user("eve"))
    response = signed_in.get(reverse("songs:save-all"))
    whole = zipfile.ZipFile(io.BytesIO(response.getvalue()))
    assert len(whole.namelist()) == 2
    for name in whole.namelist():
        assert upload_song(signed_in, name, whole.read(name)).status_code == 200
    assert Song.objects.filter(owner=user).count() == 4


@pytest.mark.parametrize("address", ["songs:save-all", "handoff:export"])
def test_a_song_whose_stem_is_gone_is_refused_before_anything_is_sent(signed_in, song, address: str) -> None:
    path = song.stems.all()[0].path
    (song_folder(song.pk) / path).unlink()
    response = signed_in.get(reverse(address, args=[song.pk, "song"] if "export" in address else []))
    assert response.status_code == 409
    assert f'"{path}" is missing' in unescape(shown(response))


def _archive(files: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, content in files.items():
            archive.writestr(name, content)
    return out.getvalue()


def _with(good: bytes, name: str, content: bytes) -> bytes:
    source = zipfile.ZipFile(io.BytesIO(good))
    return _archive({**{each: source.read(each) for each in source.namelist()}, name: content})
