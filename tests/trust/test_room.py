"""How much one account may take, how much of the disk stays free, and how much is read before anybody is asked who they are."""

import io
import shutil
from collections import namedtuple

import pytest
from django.test import Client
from django.urls import reverse

from hallweb.accounts.models import Allowance
from hallweb.handoff.models import PrintJob
from hallweb.songs.models import Upload
from hallweb.songs.room import used_bytes
from tests.web.stems import begin, sound, upload

Usage = namedtuple("Usage", "total used free")


def test_an_hour_of_silence_in_a_small_file_counts_as_what_it_takes_decoded(signed_in, empty_song, tmp_path) -> None:
    import numpy as np
    import soundfile as sf

    sf.write(tmp_path / "silence.flac", np.zeros(48000 * 600, np.int16), 48000)
    content = (tmp_path / "silence.flac").read_bytes()
    assert len(content) < 500_000
    assert upload(signed_in, empty_song, "silence.flac", content).status_code == 200
    assert used_bytes(empty_song.owner) == len(content) + 48000 * 600 * 4


def test_uploads_stems_and_prints_of_one_account_stay_within_its_allowance(signed_in, song, settings) -> None:
    settings.ALLOWANCE_BYTES = used_bytes(song.owner) + 1000
    assert begin(signed_in, song, "a.wav", 600).status_code == 200
    refused = begin(signed_in, song, "b.wav", 600)
    assert refused.status_code == 422
    assert "There is no room for 600" in refused.json()["error"].replace("\xa0", " ")
    assert begin(signed_in, song, "a.wav", 600).status_code == 200, "what has begun may go on"
    Allowance.objects.create(user=song.owner, gibibytes=1)
    assert begin(signed_in, song, "b.wav", 600).status_code == 200
    Allowance.objects.update(gibibytes=0)
    answer = signed_in.post(reverse("handoff:print", args=[song.pk]), {"part": "main"})
    assert answer.status_code == 422
    assert not PrintJob.objects.exists()


def test_three_hundred_uploads_of_four_gibibytes_are_not_begun(signed_in, song, settings) -> None:
    codes = [begin(signed_in, song, f"{number}.wav", 4 << 30).status_code for number in range(300)]
    assert codes.count(200) <= settings.ALLOWANCE_BYTES // (4 << 30)
    assert codes[-1] == 422


def test_the_disk_keeps_a_reserve_for_all(signed_in, song, settings, monkeypatch) -> None:
    free = settings.DISK_RESERVE_BYTES + 10_000
    monkeypatch.setattr(shutil, "disk_usage", lambda _: Usage(free, 0, free))
    assert begin(signed_in, song, "a.wav", 6000).status_code == 200
    answer = begin(signed_in, song, "b.wav", 6000)
    assert "The disk has no room for" in answer.json()["error"]
    Upload.objects.all().delete()
    assert begin(signed_in, song, "b.wav", 6000).status_code == 200


@pytest.mark.parametrize("length", ["300000000", "x", "9" * 40, "-1"])
def test_the_body_of_a_stranger_is_refused_before_it_is_read(client, db, length: str) -> None:
    class Body(io.BytesIO):
        def read(self, *_: object) -> bytes:
            raise AssertionError("it was read")

    answer = Client().generic(
        "POST", "/", b"", "multipart/form-data; boundary=x", CONTENT_LENGTH=length, **{"wsgi.input": Body()}
    )
    assert answer.status_code == 413
    assert "That is more than is taken at a time." in answer.content.decode()


def test_a_part_of_an_upload_has_a_limit(signed_in, song) -> None:
    address = begin(signed_in, song, "a.wav", 50_000_000).json()["url"]
    answer = signed_in.post(address, bytes((4 << 20) + 1), "application/octet-stream", headers={"X-Offset": "0"})
    assert answer.status_code == 413


def test_a_stem_takes_what_is_told(signed_in, empty_song, tmp_path) -> None:
    content = sound(tmp_path, seconds=2, rate=44100, channels=2)
    upload(signed_in, empty_song, "a.wav", content)
    assert empty_song.stems.get().bytes == len(content) + 2 * empty_song.sample_rate * 2 * 4
