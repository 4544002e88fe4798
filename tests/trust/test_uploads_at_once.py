"""Uploads that several connections touch at once: what was sent is what is stored, once, and nobody gets an error page."""

from collections import Counter

import pytest
from django.test import Client

from hallweb.songs.files import song_folder
from hallweb.songs.models import Song, Stem, Upload
from hallweb.songs.uploads import PART_BYTES
from tests.web.at_once import in_threads
from tests.web.factories import make_song, make_user
from tests.web.stems import begin, finish, number_of, send, sound, upload

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def song() -> Song:
    return make_song(make_user())


def client_of(song: Song) -> Client:
    client = Client(raise_request_exception=False)
    client.force_login(song.owner)
    return client


def test_of_connections_that_send_one_upload_side_by_side_each_part_is_stored_once(song, tmp_path) -> None:
    content = sound(tmp_path, seconds=40, channels=2)
    number = number_of(begin(client_of(song), song, "a.wav", len(content)))
    starts = range(0, len(content), PART_BYTES)
    assert len(starts) > 1

    def sending(_: int) -> Counter[int]:
        client, codes = client_of(song), Counter[int]()
        for offset in starts:
            codes[send(client, number, offset, content[offset : offset + PART_BYTES]).status_code] += 1
        return codes

    codes = sum(in_threads(4, sending), Counter[int]())
    assert codes[200] == len(starts)
    assert set(codes) <= {200, 409}
    assert finish(client_of(song), number).status_code == 200
    assert (song_folder(song.pk) / "stems/a.wav").read_bytes() == content


def test_an_upload_that_is_finished_by_several_at_once_is_one_stem(song, tmp_path) -> None:
    content = sound(tmp_path, seconds=5)
    number = number_of(begin(client_of(song), song, "a.wav", len(content)))
    assert send(client_of(song), number, 0, content).status_code == 200
    answers = in_threads(4, lambda _: finish(client_of(song), number))
    codes = Counter(answer.status_code for answer in answers)
    assert codes[200] == 1
    assert set(codes) <= {200, 404, 422}, "gone, or finished already"
    assert Stem.objects.filter(song=song, path="stems/a.wav").count() == 1
    assert not Upload.objects.exists()


def test_files_of_one_name_at_once_are_all_stored(song, tmp_path) -> None:
    contents = [sound(tmp_path, f"{number}.wav") for number in range(8)]
    answers = in_threads(
        8, lambda number: upload(client_of(song), song, "Guitar.wav", contents[number] + b"\0" * 2 * number)
    )
    assert {answer.status_code for answer in answers} == {200}
    paths = [answer.json()["path"] for answer in answers]
    assert len(set(paths)) == 8
    for number, path in enumerate(paths):
        assert (song_folder(song.pk) / path).read_bytes().startswith(contents[number])


def test_one_file_twice_at_once_is_one_stem(song, tmp_path) -> None:
    content = sound(tmp_path)
    answers = in_threads(4, lambda number: upload(client_of(song), song, f"take {number}.wav", content))
    assert {answer.status_code for answer in answers} == {200}
    assert len({answer.json()["path"] for answer in answers}) == 1
