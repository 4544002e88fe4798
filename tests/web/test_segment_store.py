"""Segments on disk: whole, checked, in bounded room."""

import os

import pytest

from hallweb.audition.store import SegmentStore


@pytest.fixture
def folder(tmp_path):
    return tmp_path / "segments"


def used_at(folder, key: str, seconds: int) -> None:
    os.utime(folder / key[:2] / f"{key}.flac", (seconds, seconds))


def test_what_was_written_is_read_by_any_store_of_the_folder(folder) -> None:
    SegmentStore(folder, 1000).write("abcd", b"sound")
    assert SegmentStore(folder, 1000).read("abcd") == b"sound"
    assert SegmentStore(folder, 1000).read("abce") is None


@pytest.mark.parametrize("damage", [lambda b: b[:-1], lambda b: b"X" + b[1:], lambda _: b"", lambda b: b + b"more"])
def test_a_file_that_was_damaged_is_as_good_as_not_there(folder, damage) -> None:
    store = SegmentStore(folder, 1000)
    store.write("abcd", b"sound")
    path = folder / "ab" / "abcd.flac"
    path.write_bytes(damage(path.read_bytes()))
    assert store.read("abcd") is None
    assert not path.exists()


def test_what_was_heard_least_recently_makes_room(folder) -> None:
    store = SegmentStore(folder, 1000)
    for number in range(8):
        store.write(f"k{number}", bytes(96))
        used_at(folder, f"k{number}", 1000 + number)
    store.read("k0")  # now it is the newest
    for number in range(8, 12):
        store.write(f"k{number}", bytes(96))
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
        store.write("abcd", b"sound")
    assert not [path for path in folder.rglob("*") if path.is_file()]
