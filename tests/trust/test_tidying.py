"""What is kept only to be quick has bounds."""

import os
import time

from django.contrib.sessions.models import Session
from django.core.management import call_command
from django.utils import timezone

from hallweb.songs.files import decoded_folder, segments_folder, song_folder
from hallweb.songs.sounds import open_stems, song_sounds
from hallweb.songs.tidying import bound_copies, tidy


def test_decoded_stems_go_with_the_last_song_that_has_them(song) -> None:
    open_stems(song_sounds(song.pk), song.sample_rate)
    assert len(list(decoded_folder().iterdir())) == 3
    tidy()
    assert len(list(decoded_folder().iterdir())) == 3
    song.stems.filter(path="drum.wav").delete()
    tidy()
    assert len(list(decoded_folder().iterdir())) == 3, "a young file may be of a stem that is just coming"
    for path in decoded_folder().iterdir():
        os.utime(path, (time.time() - 7200,) * 2)
    tidy()
    assert len(list(decoded_folder().iterdir())) == 2


def test_of_decoded_stems_the_least_recently_read_go_when_there_are_too_many(song, settings) -> None:
    open_stems(song_sounds(song.pk), song.sample_rate)
    files = sorted(decoded_folder().iterdir())
    for age, path in enumerate(files):
        os.utime(path, (1_000_000 - age, path.stat().st_mtime))
    settings.DECODED_LIMIT_BYTES = files[0].stat().st_size
    tidy()
    assert list(decoded_folder().iterdir()) == [files[0]]


def test_the_command_says_how_large_what_is(song, capsys) -> None:
    Session.objects.create(session_key="old", session_data="", expire_date=timezone.now())
    call_command("tidy")
    assert "songs" in capsys.readouterr().out
    assert not Session.objects.exists()


def test_segments_of_songs_that_are_gone_and_of_earlier_versions_go(song) -> None:
    kept = [segments_folder() / str(song.pk) / "ab" / "abcd.flac"]
    foreign = [
        segments_folder() / "0" / "ab" / "abcd.flac",
        segments_folder() / "ab" / "abcd.flac",  # as they lay before each song had a folder
        segments_folder() / str(song.pk) / "abcd.flac",
    ]
    for path in kept + foreign:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(b"fLaC")
    tidy()
    assert [path.exists() for path in kept + foreign] == [True, False, False, False]


def test_copies_of_files_that_are_elsewhere_are_bounded_and_the_files_themselves_are_not(song, settings) -> None:
    stems = sorted((song_folder(song.pk)).rglob("*.wav"))
    settings.DECODED_LIMIT_BYTES = stems[0].stat().st_size
    bound_copies()
    assert all(path.exists() for path in stems)
    settings.FILES_ARE_ELSEWHERE = True
    bound_copies()
    assert sum(path.exists() for path in stems) == 1
