"""Files that are elsewhere: stored before they are acknowledged, fetched once, checked, removed; with a stand-in for S3."""

import hashlib
import shutil
import urllib.request
from concurrent.futures import ThreadPoolExecutor

import pytest

from hallweb.songs.lasting import FileNotHereError, address_of, forget, here, keep


@pytest.fixture
def file(settings):
    path = settings.DATA_DIR / "songs" / "7" / "stems" / "harp 1.wav"
    path.parent.mkdir(parents=True)
    path.write_bytes(b"sound" * 100_000)
    return path


def test_what_is_kept_is_fetched_where_it_is_not(elsewhere, file) -> None:
    keep(file)
    content, sha256 = file.read_bytes(), hashlib.sha256(file.read_bytes()).hexdigest()
    shutil.rmtree(file.parent)
    with ThreadPoolExecutor(4) as pool:
        assert set(pool.map(lambda _: here(file, sha256).read_bytes(), range(8))) == {content}
    keep(file)  # again, as after a crash
    assert elsewhere.listdir("songs/7/stems") == ([], ["harp 1.wav"])


def test_what_comes_damaged_is_refused_and_leaves_nothing(elsewhere, file) -> None:
    keep(file)
    file.unlink()
    with pytest.raises(FileNotHereError, match=r'"harp 1\.wav" came from the storage damaged'):
        here(file, "0" * 64)
    assert list(file.parent.iterdir()) == []


def test_what_is_nowhere_is_left_to_who_opens_it(elsewhere, file) -> None:
    file.unlink()
    assert not here(file).exists()


def test_a_folder_that_is_forgotten_is_gone_everywhere(elsewhere, file) -> None:
    keep(file)
    forget(file.parents[1])
    assert not file.parents[1].exists()
    assert not here(file).exists()
    forget(file.parents[1])


def test_a_signed_address_gives_the_file_under_its_name(elsewhere, file) -> None:
    keep(file)
    with urllib.request.urlopen(address_of(file, 'night "3".wav')) as answer:
        assert answer.read() == file.read_bytes()
        assert answer.headers["Content-Disposition"] == "attachment; filename=\"night '3'.wav\""


def test_in_a_folder_nothing_is_fetched_or_signed(file) -> None:
    keep(file)
    assert here(file) == file
    assert address_of(file, "a.wav") is None
    forget(file.parent)
    assert not file.exists()
