"""Segments on disk: whole, checked, in bounded room."""

import io
import os

import numpy as np
import pytest
import soundfile as sf

from hallweb.audition.segment_file import HEADROOM, DamagedSegmentError, SegmentFile
from hallweb.audition.store import SegmentStore


@pytest.fixture
def folder(tmp_path):
    return tmp_path / "segments"


def used_at(folder, key: str, seconds: int) -> None:
    os.utime(folder / "7" / key[:2] / f"{key}.flac", (seconds, seconds))


def test_what_was_written_is_read_by_any_store_of_the_folder_for_its_own_song(folder) -> None:
    SegmentStore(folder, 1000).write(7, "abcd", b"sound")
    assert SegmentStore(folder, 1000).read(7, "abcd") == b"sound"
    assert SegmentStore(folder, 1000).read(7, "abce") is None
    assert SegmentStore(folder, 1000).read(8, "abcd") is None
    SegmentStore(folder, 1000).drop(7, "abcd")
    assert SegmentStore(folder, 1000).read(7, "abcd") is None


def noise(peak: float) -> np.ndarray:
    made = np.random.default_rng(1).uniform(-1, 1, (2, 9600)).astype(np.float32)
    return made / np.abs(made).max() * np.float32(peak)


@pytest.mark.parametrize(("peak", "headroom"), [(0.0, 8), (1.0, 8), (8.0, 8), (8.1, 16), (100.0, 128)])
def test_a_segments_file_is_flac_that_says_how_loud_it_was_and_what_was_fed(peak: float, headroom: float) -> None:
    sound = noise(peak)
    file = SegmentFile.of_sound(sound, np.array([0.25, 1.5], np.float32), 48000)
    again = SegmentFile.of(file.content)
    assert again.headroom == headroom
    assert np.abs(again.sound - sound).max() <= headroom / 2**23
    plain, rate = sf.read(io.BytesIO(file.content), dtype="float32")
    assert (plain.shape, rate) == ((9600, 2), 48000)
    assert b"FED=0.25,1.5" in file.content


@pytest.mark.parametrize(
    "damage",
    [
        lambda b: b[:-1],
        lambda b: b"X" + b[1:],
        lambda _: b"",
        lambda b: b + b"more",
        lambda b: b[:200],
        lambda b: b[:-40] + bytes(40),
        lambda b: b.replace(b"CRC32", b"CRC33"),
        lambda _: bytes(4096),
    ],
)
def test_a_file_that_was_damaged_is_told_from_one_that_was_not(damage) -> None:
    content = SegmentFile.of_sound(noise(HEADROOM / 2), np.zeros(0, np.float32), 48000).content
    with pytest.raises(DamagedSegmentError):
        SegmentFile.of(damage(content))


def test_what_was_heard_least_recently_makes_room(folder) -> None:
    store = SegmentStore(folder, 1000)
    for number in range(8):
        store.write(7, f"k{number}", bytes(96))
        used_at(folder, f"k{number}", 1000 + number)
    store.read(7, "k0")  # now it is the newest
    for number in range(8, 12):
        store.write(7, f"k{number}", bytes(96))
        used_at(folder, f"k{number}", 2000 + number)
    left = {path.stem for path in folder.rglob("*.flac")}
    assert {"k0", "k11"} <= left
    assert "k1" not in left
    assert sum(path.stat().st_size for path in folder.rglob("*.flac")) <= 1000


def test_nothing_is_left_of_a_write_that_broke_off(folder, monkeypatch) -> None:
    def break_off(*_args: object) -> None:
        raise OSError(28, "No space left on device")

    store = SegmentStore(folder, 1000)
    monkeypatch.setattr("pathlib.Path.write_bytes", break_off)
    with pytest.raises(OSError, match="No space"):
        store.write(7, "abcd", b"sound")
    assert not [path for path in folder.rglob("*") if path.is_file()]
