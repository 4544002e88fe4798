"""Uploads where files are elsewhere: a part that was acknowledged is there on any machine."""

import os
import random
import time

import pytest

from hallweb.songs.files import upload_file
from hallweb.songs.models import Upload
from hallweb.songs.tidying import bound_copies
from hallweb.songs.uploads import WrongOffsetError, digest_of, drop, open_upload, receive, received, whole

CONTENT = random.Random(5).randbytes(300_000)
ENDS = (0, 120_000, 120_001, 240_000, 300_000)


@pytest.fixture
def upload(user):
    return open_upload(user, None, "song.zip", len(CONTENT), 1, largest=1 << 30)


def take(upload: Upload, number: int) -> int:
    parts = iter([CONTENT[ENDS[number] : ENDS[number + 1]], b""])
    return receive(upload, ENDS[number], lambda _: next(parts))


def another_machine(upload: Upload) -> None:
    upload_file(upload.pk).unlink()


def test_another_machine_goes_on_with_an_upload_and_finishes_it(elsewhere, upload, tmp_path) -> None:
    assert received(upload) == 0
    assert take(upload, 0) == ENDS[1]
    assert take(upload, 1) == ENDS[2]
    another_machine(upload)
    assert received(upload) == ENDS[2]
    another_machine(upload)
    with pytest.raises(WrongOffsetError, match="has come to 120001 bytes, not 240000"):
        take(upload, 3)
    assert take(upload, 2) == ENDS[3]
    before = upload_file(upload.pk).read_bytes()
    take(upload, 3)
    upload_file(upload.pk).write_bytes(before[: ENDS[1]])  # the machine that had only the first part
    original = tmp_path / "song.zip"
    original.write_bytes(CONTENT)
    with whole(upload, digest_of(original)) as path:
        assert path.read_bytes() == CONTENT
        upload.delete()
    assert elsewhere.listdir("uploads") == ([], [])
    assert not list(upload_file(0).parent.iterdir())


@pytest.mark.parametrize("left", [ENDS[2] + 5, ENDS[3] - 1, 7])
def test_a_machine_that_died_while_it_wrote_a_part_has_it_whole_again(elsewhere, upload, left) -> None:
    for number in range(3):
        take(upload, number)
    upload_file(upload.pk).write_bytes(CONTENT[:left])
    assert received(upload) == ENDS[3]
    assert upload_file(upload.pk).read_bytes() == CONTENT[: ENDS[3]]


def test_nothing_is_left_of_an_upload_that_is_dropped(elsewhere, upload) -> None:
    take(upload, 0)
    drop(upload)
    assert elsewhere.listdir("uploads") == ([], [])


def test_what_arrived_of_an_upload_that_another_machine_has_finished_goes_after_a_while(upload) -> None:
    take(upload, 0)
    old = time.time() - 7200
    finished = upload_file(upload.pk + 1)
    for path in (upload_file(upload.pk), finished):
        path.touch()
        os.utime(path, (old, old))
    young = upload_file(upload.pk + 2)
    young.touch()
    bound_copies()
    assert [upload_file(upload.pk).exists(), finished.exists(), young.exists()] == [True, False, True]
