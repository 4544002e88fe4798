"""Files that come in from a browser: in parts that may break off and go on.

What has arrived gathers in a file of its own; how long that is, is the truth about how far an upload came. Whoever changes an
upload holds its row, so that two connections never write side by side.
"""

import errno
import hashlib
import re
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path, PurePath
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from django.http import UnreadablePostError

from hallweb.songs.files import upload_file
from hallweb.songs.models import Song, Upload
from hallweb.songs.room import require_room
from hallweb.songs.upload_parts import append_part, forget_parts, gather_parts
from highhall.errors import CoreError

PART_BYTES = 4 << 20
"""How much a browser sends at a time, at most."""

_CHUNK = 1 << 20


class UploadError(CoreError):
    """A file cannot be taken; the text says why and what would be right."""


class AskedBackError(UploadError):
    """A file cannot be taken before its user has said more; what has arrived stays."""


class WrongOffsetError(CoreError):
    """A part does not go on where the upload has come to."""


def open_upload(owner: User, song: Song | None, name: str, size: int, modified: int, *, largest: int) -> Upload:
    """Begin an upload for a song, or of a whole song; or find the one that the same file has begun before.

    Raises
    ------
    UploadError
        If the file is empty or larger than `largest` bytes.
    NoRoomError
        If the owner of the song, or the disk, has no room for it.
    """
    if size > largest:
        raise UploadError(f'"{name}" is larger than {largest >> 30} GiB')
    if size < 1:
        raise UploadError(f'"{name}" is empty; send the whole file')
    same: dict[str, Any] = {"owner": owner, "song": song, "name": name[:255], "size": size, "modified": modified}
    begun = Upload.objects.filter(**same).first()
    if begun is None:
        require_room(song.owner if song else owner, size)
    return begun or Upload.objects.get_or_create(**same)[0]


def received(upload: Upload) -> int:
    """Return how many bytes of an upload have arrived."""
    return gather_parts(upload.pk)


def receive(upload: Upload, offset: int, read: Callable[[int], bytes]) -> int:
    """Append a part and return how many bytes have arrived; what came before a connection broke is kept.

    `read` returns the next bytes of the part, at most as many as it is asked for, and none at its end. The part is read first and
    written in one go.

    Raises
    ------
    WrongOffsetError
        If the part does not start where the upload has come to.
    UploadError
        If the disk is full, or more comes than was said; the upload is dropped.
    """
    part = _whole_part(upload, read)
    with _dropped_if_refused(upload), held(upload):
        here = received(upload)
        if offset != here:
            raise WrongOffsetError(f'"{upload.name}" has come to {here} bytes, not {offset}')
        if here + len(part) > upload.size:
            raise UploadError(f'"{upload.name}" is larger than it said; send it again')
        append_part(upload.pk, offset, part)
        return here + len(part)


@contextmanager
def held(upload: Upload) -> Iterator[None]:
    """Hold an upload in a transaction: nobody else receives, finishes or drops it meanwhile.

    Raises
    ------
    UploadError
        If it is gone: somebody else has finished or dropped it.
    """
    with transaction.atomic():
        if not Upload.objects.select_for_update().filter(pk=upload.pk).exists():
            raise UploadError(f'"{upload.name}" was finished or dropped already')
        yield


@contextmanager
def whole(upload: Upload, digest: str) -> Iterator[Path]:
    """Hold an upload that has arrived and give its file; whoever takes that deletes the row.

    digest: what the browser read of the file, as `digest_of` makes it; an empty one is not compared.

    Raises
    ------
    UploadError
        If bytes are missing (the upload stays), or others have arrived than were sent.
    """
    upload_id = upload.pk  # which is gone once it is taken
    with _dropped_if_refused(upload), held(upload):
        if (arrived := received(upload)) < upload.size:
            missing = f'"{upload.name}" has come to {arrived} of {upload.size} bytes; send the rest'
            raise AskedBackError(missing)
        path = upload_file(upload.pk)
        if digest and digest != digest_of(path):
            raise UploadError(f'"{upload.name}" has arrived damaged: its SHA-256 differs; send it again')
        yield path
    forget_parts(upload_id)


def digest_of(path: Path) -> str:
    """Return the SHA-256 of the SHA-256 of each 4 MiB of a file, in hexadecimal: a browser has no room for more at once."""
    total = hashlib.sha256()
    with path.open("rb") as file:
        while part := file.read(PART_BYTES):
            total.update(hashlib.sha256(part).digest())
    return total.hexdigest()


def drop(upload: Upload) -> None:
    """Forget an upload and what has arrived of it."""
    forget_parts(upload.pk)
    Upload.objects.filter(pk=upload.pk).delete()


def drop_begun_before(moment: datetime) -> None:
    """Forget uploads that were begun before a moment and never finished."""
    for upload in Upload.objects.filter(created__lt=moment):
        drop(upload)


def safe_name(file_name: str) -> str:
    """Return a file name without path parts or characters that some system cannot store."""
    bare = PurePath(file_name.replace("\\", "/")).name
    cleaned = re.sub(r"[^\w .()&+-]", "_", bare).strip(" .")
    stem, suffix = PurePath(cleaned).stem[:100] or "stem", PurePath(cleaned).suffix[:8]
    return stem.lstrip(".") + suffix


@contextmanager
def _dropped_if_refused(upload: Upload) -> Iterator[None]:
    """Leave nothing of an upload behind when it is refused, and say so when the disk is full."""
    try:
        yield
    except (AskedBackError, WrongOffsetError):
        raise
    except CoreError:
        drop(upload)
        raise
    except OSError as error:
        if error.errno != errno.ENOSPC:
            raise
        drop(upload)
        raise UploadError(f'the disk is full: "{upload.name}" was not stored; make room and send it again') from None


def _whole_part(upload: Upload, read: Callable[[int], bytes]) -> bytes:
    part = bytearray()
    try:
        while chunk := read(_CHUNK):
            part += chunk
            if len(part) > PART_BYTES:
                raise UploadError(f'a part of "{upload.name}" is larger than {PART_BYTES >> 20} MiB; send it in parts')
    except UnreadablePostError:  # the connection broke: what has come is kept
        pass
    return bytes(part)
