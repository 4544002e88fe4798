"""Bringing stems in: what is taken, what goes on after a break, what is refused, and that nothing is left behind."""

import hashlib
from datetime import timedelta
from html import unescape

import numpy as np
import pytest
import soundfile as sf
from django.http import UnreadablePostError
from django.urls import reverse
from django.utils import timezone

from hallweb.songs import uploads
from hallweb.songs.files import song_folder, upload_file
from hallweb.songs.models import Stem, Upload
from tests.web.factories import make_user, shown, stored_plan
from tests.web.stems import begin, finish, nothing_is_left, number_of, send, sound, take, upload


def test_stems_come_in_and_become_tracks_in_one_edit(signed_in, empty_song, tmp_path) -> None:
    for name in ("Fresh_01 lead vox.wav", "Fresh_02 kick.wav", "Fresh_03 harp.flac"):
        assert upload(signed_in, empty_song, name, sound(tmp_path, name, seconds=40)).status_code == 200
    page = take(signed_in, empty_song).content.decode()
    empty_song.refresh_from_db()
    plan = stored_plan(empty_song)
    assert [(t.name, plan.group(t.group).name) for t in plan.tracks] == [
        ("Lead Vox", "Voices"), ("Kick", "Drums"), ("Harp", "Strings"),
    ]  # fmt: skip
    assert plan.song.sample_rate == 44100
    assert plan.song.end_sample >= 40 * 44100
    assert 'id="song-strip"' in page
    assert "Lead Vox" in page
    assert empty_song.head.label == "Import 3 stems"
    signed_in.post(reverse("history:undo", args=[empty_song.pk]), {"revision": empty_song.head.number, "view": "song"})
    assert stored_plan(empty_song).tracks == ()
    page = shown(signed_in.get(reverse("song:show", args=[empty_song.pk])))
    assert "Make tracks of 3 stems that came in before" in page


def test_groups_follow_what_the_user_chose_before(signed_in, user, song, empty_song, tmp_path) -> None:
    signed_in.post(
        reverse("song:set-tracks", args=[song.pk]), {"revision": 1, "track": "voice", "field": "group", "value": "band"}
    )
    upload(signed_in, empty_song, "Voice.wav", sound(tmp_path))
    take(signed_in, empty_song)
    plan = stored_plan(empty_song)
    assert plan.group(plan.tracks[0].group).name == "band"


def test_names_cannot_lead_out_of_the_folder_and_never_collide(signed_in, empty_song, tmp_path) -> None:
    for count, name in enumerate(("../../evil.wav", "C:\\temp\\evil.wav", "evil.wav", "näme \u2603/<b>.wav")):
        assert upload(signed_in, empty_song, name, sound(tmp_path, f"{count}.wav")).status_code == 200
    stored = sorted(path.name for path in (song_folder(empty_song.pk) / "stems").iterdir())
    assert stored == ["2", "3", "_b_.wav", "evil.wav"], "what has the name of another lies in a folder of its own"
    take(signed_in, empty_song)
    assert len(stored_plan(empty_song).tracks) == 4


def nan_file(folder) -> bytes:
    sf.write(folder / "nan.wav", np.array([0.1, np.nan, 0.2]), 48000, subtype="FLOAT")
    return (folder / "nan.wav").read_bytes()


def long_file(folder) -> bytes:
    sf.write(folder / "long.flac", np.zeros(8000 * 3 * 3600, np.int16), 8000)
    return (folder / "long.flac").read_bytes()


@pytest.mark.parametrize(
    ("name", "content", "sentence"),
    [
        ("notes.txt", lambda _: b"hello", '"notes.txt" is not a kind of sound file that can be read; expected aif'),
        ("a.wav", lambda _: b"", '"a.wav" is empty; send the whole file'),
        ("a.wav", lambda _: b"RIFF\x24\x00\x00\x00WAVE", '"a.wav" cannot be read as sound'),
        ("a.flac", lambda f: sound(f, "x.wav")[100:], '"a.flac" cannot be read as sound'),
        ("a.wav", lambda f: sound(f, "x.wav")[:30000], '"a.wav" is cut off'),
        ("a.wav", lambda f: sound(f, "x.wav", seconds=0), '"a.wav" holds no samples'),
        ("a.wav", nan_file, '"a.wav" holds samples that are not numbers'),
        ("a.flac", long_file, '"a.flac" lasts 180 minutes; expected at most 60'),
        ("", lambda _: b"x", '"" is not a kind of sound file'),
        ("a.wav", lambda f: sound(f, "x.wav", rate=4000), "has a rate of 4000 Hz"),
    ],
    ids=["text", "empty", "header", "wrong-extension", "truncated", "no-samples", "nan", "3-hours", "no-name", "slow"],
)  # fmt: skip
def test_what_is_no_stem_is_one_sentence_and_leaves_nothing(signed_in, empty_song, tmp_path, name, content, sentence):
    response = upload(signed_in, empty_song, name, content(tmp_path))
    assert response.status_code == 422
    error = response.json()["error"]
    assert sentence in error
    assert "\n" not in error
    assert nothing_is_left(empty_song)
    assert not Stem.objects.filter(song=empty_song).exists()


def test_stems_that_come_again_replace_those_of_their_name_and_are_counted(signed_in, empty_song, tmp_path) -> None:
    harp = sound(tmp_path, "Harp.wav")
    for name, content in (("Harp.wav", harp), ("Voice.wav", sound(tmp_path, "v.wav")), ("Drum.wav", sound(tmp_path))):
        upload(signed_in, empty_song, name, content)
    take(signed_in, empty_song)
    address = reverse("song:set-tracks", args=[empty_song.pk])
    signed_in.post(address, {"revision": 2, "track": "voice", "field": "level_db", "value": "-7"})
    before = stored_plan(empty_song)
    mended, shaker = sound(tmp_path, "mended.wav", seconds=9), sound(tmp_path, "Shaker.wav")
    again = [
        upload(signed_in, empty_song, name, content).json()["path"]
        for name, content in (("Voice.wav", mended), ("Harp.wav", harp), ("Shaker.wav", shaker))
    ]
    assert again == ["stems/2/Voice.wav", "stems/Harp.wav", "stems/Shaker.wav"]
    page = shown(take(signed_in, empty_song, *again))
    assert "Stems: 1 replaced, 1 new, 1 the same." in page
    assert '"stems/2/Voice.wav" is 8.000 s longer than it was' in unescape(page)
    plan = stored_plan(empty_song)
    assert [track.stem for track in plan.tracks][:-1] == [
        "stems/2/Voice.wav" if track.id == "voice" else track.stem for track in before.tracks
    ]
    assert plan.track("voice").level_db == -7
    signed_in.post(reverse("history:undo", args=[empty_song.pk]), {"revision": 4, "view": "song"})
    assert stored_plan(empty_song) == before
    once_more = upload(signed_in, empty_song, "voice.WAV", sound(tmp_path, "third.wav")).json()["path"]
    take(signed_in, empty_song, once_more)
    assert stored_plan(empty_song).track("voice").stem == once_more == "stems/voice.WAV"


def test_a_file_that_could_be_meant_for_two_tracks_becomes_a_track_of_its_own(signed_in, empty_song, tmp_path) -> None:
    for made_as in ("one.wav", "two.wav"):
        upload(signed_in, empty_song, "Guitar.wav", sound(tmp_path, made_as))
    take(signed_in, empty_song)
    path = upload(signed_in, empty_song, "Guitar.wav", sound(tmp_path, "three.wav")).json()["path"]
    assert "Stems: 1 new." in shown(take(signed_in, empty_song, path))
    assert len(stored_plan(empty_song).tracks) == 3


def test_the_file_of_a_track_that_was_removed_is_taken_up_again(signed_in, empty_song, tmp_path) -> None:
    content = sound(tmp_path)
    upload(signed_in, empty_song, "Harp.wav", content)
    take(signed_in, empty_song)
    empty_song.refresh_from_db()
    signed_in.post(
        reverse("song:remove-tracks", args=[empty_song.pk]), {"revision": empty_song.head.number, "track": "harp"}
    )
    assert upload(signed_in, empty_song, "Harp.wav", content).json() == {"path": "stems/Harp.wav"}
    take(signed_in, empty_song, "stems/Harp.wav")
    assert [t.name for t in stored_plan(empty_song).tracks] == ["Harp"]


@pytest.mark.parametrize(("choice", "channels"), [("first-pair", 2), ("fold-down", 2)])
def test_more_than_two_channels_ask_for_a_choice(signed_in, empty_song, tmp_path, choice: str, channels: int) -> None:
    content = sound(tmp_path, "Wide.flac", channels=6)
    asked = upload(signed_in, empty_song, "Wide.flac", content)
    assert (asked.status_code, asked.json()["channels"]) == (422, 6)
    assert asked.json()["error"] == '"Wide.flac" has 6 channels; a stem has one or two.'
    number = Upload.objects.get().pk
    assert finish(signed_in, number, channels=choice).json() == {"path": "stems/Wide.wav"}
    stored = sf.info(song_folder(empty_song.pk) / "stems" / "Wide.wav")
    assert (stored.channels, stored.frames) == (channels, 44100)
    assert not Upload.objects.exists()


def test_channels_that_cannot_be_folded_are_refused_and_dropped(signed_in, empty_song, tmp_path) -> None:
    upload(signed_in, empty_song, "Odd.wav", sound(tmp_path, channels=7))
    answer = finish(signed_in, Upload.objects.get().pk, channels="fold-down")
    assert "has 7 channels, which cannot be folded down" in answer.json()["error"]
    assert nothing_is_left(empty_song)


def test_a_full_disk_is_said_and_leaves_nothing(signed_in, empty_song, tmp_path, monkeypatch) -> None:
    def full(*_args: object) -> str:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("hallweb.songs.stem_files.content_hash", full)
    response = upload(signed_in, empty_song, "a.wav", sound(tmp_path))
    assert response.status_code == 422
    assert response.json()["error"] == 'The disk is full: "a.wav" was not stored; make room and send it again.'
    assert nothing_is_left(empty_song)


def test_a_connection_that_breaks_half_way_goes_on_from_there(signed_in, empty_song, tmp_path) -> None:
    content = sound(tmp_path)
    number = number_of(begin(signed_in, empty_song, "a.wav", len(content)))
    parts = [content[:20000]]

    def read(_size: int) -> bytes:
        if parts:
            return parts.pop()
        raise UnreadablePostError

    assert uploads.receive(Upload.objects.get(pk=number), 0, read) == 20000
    page = signed_in.get(reverse("song:show", args=[empty_song.pk])).content.decode()
    assert f"broke off at {round(100 * 20000 / len(content))} %" in page
    again = begin(signed_in, empty_song, "a.wav", len(content)).json()
    assert again == {"url": f"/uploads/{number}/", "received": 20000}
    early = finish(signed_in, number)
    assert "has come to 20000 of" in early.json()["error"]
    wrong = send(signed_in, number, 0, content[:10])
    assert wrong.status_code == 409
    assert send(signed_in, number, 20000, content[20000:]).json() == {"received": len(content)}
    assert finish(signed_in, number).json() == {"path": "stems/a.wav"}
    assert (song_folder(empty_song.pk) / "stems" / "a.wav").read_bytes() == content


def test_another_version_of_a_file_does_not_go_on_where_the_first_broke_off(signed_in, empty_song) -> None:
    first = number_of(begin(signed_in, empty_song, "a.wav", 5000))
    send(signed_in, first, 0, bytes(100))
    assert begin(signed_in, empty_song, "a.wav", 5000, modified=2).json()["received"] == 0
    assert begin(signed_in, empty_song, "a.wav", 5001).json()["received"] == 0


def test_what_has_arrived_otherwise_than_it_was_sent_is_refused(signed_in, empty_song, tmp_path) -> None:
    content = sound(tmp_path)
    assert upload(signed_in, empty_song, "a.wav", content, digest=_digest(content)).status_code == 200
    answer = upload(signed_in, empty_song, "b.wav", content, digest=_digest(content[:-1]))
    assert answer.json()["error"] == '"b.wav" has arrived damaged: its SHA-256 differs; send it again.'
    assert not Upload.objects.exists()


def _digest(content: bytes) -> str:
    """What a browser says of a file that is shorter than a part."""
    return hashlib.sha256(hashlib.sha256(content).digest()).hexdigest()


def test_more_than_was_said_is_refused(signed_in, empty_song) -> None:
    number = number_of(begin(signed_in, empty_song, "a.wav", 10))
    response = send(signed_in, number, 0, bytes(11))
    assert response.json()["error"] == '"a.wav" is larger than it said; send it again.'
    assert nothing_is_left(empty_song)
    assert begin(signed_in, empty_song, "a.wav", 5 << 30).json()["error"] == '"a.wav" is larger than 4 GiB.'


def test_an_upload_is_dropped_by_its_user_or_after_two_days(signed_in, empty_song) -> None:
    number = number_of(begin(signed_in, empty_song, "a.wav", 5000))
    send(signed_in, number, 0, bytes(100))
    assert signed_in.post(reverse("uploads:drop", args=[number])).status_code == 200
    assert not upload_file(number).exists()
    old, new = (number_of(begin(signed_in, empty_song, name, 5000)) for name in ("old.wav", "new.wav"))
    Upload.objects.filter(pk=old).update(created=timezone.now() - timedelta(days=3))
    uploads.drop_begun_before(timezone.now() - timedelta(days=2))
    assert list(Upload.objects.values_list("pk", flat=True)) == [new]


def test_a_stem_is_replaced_and_what_is_built_on_it_stays(signed_in, song, tmp_path) -> None:
    before = stored_plan(song)
    path = upload(signed_in, song, "voice take 2.wav", sound(tmp_path, seconds=9, rate=48000)).json()["path"]
    address = reverse("song:replace-stem", args=[song.pk])
    assert signed_in.post(address, {"revision": 1, "track": "voice", "path": path}).status_code == 200
    plan = stored_plan(song)
    assert plan.track("voice").stem == path
    assert (plan.sends, plan.moves, plan.track("voice").pan) == (before.sends, before.moves, 0.3)
    song.refresh_from_db()
    assert song.head.label == "Replace the stem of voice"
    page = shown(signed_in.get(reverse("song:show", args=[song.pk])))
    assert "1 stem of this song is used by no track: voice.wav" in page
    unknown = {"revision": 2, "track": "voice", "path": "../secret.wav"}
    assert signed_in.post(address, unknown).status_code == 404


@pytest.mark.parametrize("name", ["receive", "finish", "drop"])
def test_strangers_cannot_reach_uploads(client, song, name: str) -> None:
    numbers = [
        Upload.objects.create(owner=song.owner, song=each, name="a.wav", size=10, modified=1).pk
        for each in (song, None)
    ]
    client.force_login(make_user("mallory"))
    for number in numbers:
        assert client.post(reverse(f"uploads:{name}", args=[number])).status_code == 404
    for address in ("uploads:begin-stem", "song:take-stems"):
        assert client.post(reverse(address, args=[song.pk])).status_code == 404
    assert Upload.objects.count() == 2
