"""Stems that come in from a browser: in parts that may break off and go on, then checked whole and stored.

What has arrived gathers in a file of its own; how long that is, is the truth about how far an upload came.
"""

import errno
import re
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path, PurePath

from django.db import transaction
from django.http import UnreadablePostError

from hallweb.songs.files import song_folder, upload_file
from hallweb.songs.models import Song, Stem, Upload
from hallweb.songs.revisions import newest_plan
from highhall.errors import CoreError
from highhall.interchange.audio_files import content_hash
from highhall.interchange.channels import ManyChannels, to_stereo
from highhall.interchange.folder import SUFFIXES
from highhall.interchange.sound_check import checked_sound

_CHUNK = 1 << 20
LARGEST_BYTES = 4 << 30


class UploadError(CoreError):
    """A file cannot be taken as a stem; the text says why and what would be right."""


class ChannelsNotChosenError(CoreError):
    """A file has more than two channels, and it was not said what to do with them; it stays where it is."""

    def __init__(self, name: str, channels: int) -> None:
        super().__init__(f'"{name}" has {channels} channels; a stem has one or two')
        self.channels = channels


class WrongOffsetError(CoreError):
    """A part does not go on where the upload has come to."""


def open_upload(song: Song, name: str, size: int, modified: int) -> Upload:
    """Begin an upload, or find the one that the same file has begun before.

    Raises
    ------
    UploadError
        If no stem can come of a file of that name or size.
    """
    if PurePath(_safe_name(name)).suffix.lower() not in SUFFIXES:
        kinds = ", ".join(sorted(suffix[1:] for suffix in SUFFIXES))
        raise UploadError(f'"{name}" is not a kind of sound file that can be read; expected {kinds}')
    if size > LARGEST_BYTES:
        raise UploadError(f'"{name}" is larger than {LARGEST_BYTES >> 30} GiB')
    if size < 1:
        raise UploadError(f'"{name}" is empty; expected a sound file')
    upload, _ = Upload.objects.get_or_create(song=song, name=name[:255], size=size, modified=modified)
    return upload


def received(upload: Upload) -> int:
    """Return how many bytes of an upload have arrived."""
    path = upload_file(upload.pk)
    return path.stat().st_size if path.exists() else 0


def receive(upload: Upload, offset: int, read: Callable[[int], bytes]) -> int:
    """Append a part and return how many bytes have arrived; what came before a connection broke is kept.

    `read` returns the next bytes of the part, at most as many as it is asked for, and none at its end.

    Raises
    ------
    WrongOffsetError
        If the part does not start where the upload has come to.
    UploadError
        If the disk is full, or more comes than was said; the upload is dropped.
    """
    path = upload_file(upload.pk)
    path.parent.mkdir(parents=True, exist_ok=True)
    if offset != received(upload):
        raise WrongOffsetError(f'"{upload.name}" has come to {received(upload)} bytes, not {offset}')
    with _dropped_if_refused(upload), path.open("ab") as file:
        while chunk := _read(read):
            if file.tell() + len(chunk) > upload.size:
                raise UploadError(f'"{upload.name}" is larger than it said; send it again')
            file.write(chunk)
    return received(upload)


def finish(upload: Upload, many_channels: ManyChannels = ManyChannels.REFUSE) -> Stem:
    """Check what has arrived and make it a stem of the song; the upload is gone then.

    Raises
    ------
    UploadError
        If bytes are missing (the upload stays), or a stem of the song has the same content.
    ChannelsNotChosenError
        If it has more than two channels and nothing was chosen; the upload stays.
    AudioFileError
        If it is not sound that a stem may be; nothing is left behind.
    """
    if received(upload) < upload.size:
        raise UploadError(f'"{upload.name}" has come to {received(upload)} of {upload.size} bytes; send the rest')
    part = upload_file(upload.pk)
    with _dropped_if_refused(upload):
        channels = checked_sound(part, shown_as=upload.name).channels
        if channels > 2 and many_channels is not ManyChannels.REFUSE:
            to_stereo(part, part, many_channels, shown_as=upload.name)
        elif channels > 2:
            raise ChannelsNotChosenError(upload.name, channels)
        digest = content_hash(part)
        twin = Stem.objects.filter(song_id=upload.song_id, content_hash=digest).first()
        if twin:
            return _taken_again(upload, twin)
        path = _free_path(upload, is_converted=channels > 2)
        path.parent.mkdir(parents=True, exist_ok=True)
        with transaction.atomic():
            stem = Stem.objects.create(song_id=upload.song_id, path=f"stems/{path.name}", content_hash=digest)
            upload.delete()
            part.replace(path)
    return stem


def drop(upload: Upload) -> None:
    """Forget an upload and what has arrived of it."""
    upload_file(upload.pk).unlink(missing_ok=True)
    if upload.pk:
        upload.delete()


def drop_begun_before(moment: datetime) -> None:
    """Forget uploads that were begun before a moment and never finished."""
    for upload in Upload.objects.filter(created__lt=moment):
        drop(upload)


def _taken_again(upload: Upload, twin: Stem) -> Stem:
    """Return a stem that is there but used by no track any more; one in use is not taken twice."""
    track = next((track for track in newest_plan(upload.song).tracks if track.stem == twin.path), None)
    if track:
        raise UploadError(f'"{upload.name}" is already here: it is the stem of {track.name}')
    drop(upload)
    return twin


@contextmanager
def _dropped_if_refused(upload: Upload) -> Iterator[None]:
    """Leave nothing of an upload behind when it is refused, and say so when the disk is full."""
    try:
        yield
    except ChannelsNotChosenError:
        raise
    except CoreError:
        drop(upload)
        raise
    except OSError as error:
        if error.errno != errno.ENOSPC:
            raise
        drop(upload)
        raise UploadError(f'the disk is full: "{upload.name}" was not stored; make room and send it again') from None


def _read(read: Callable[[int], bytes]) -> bytes:
    try:
        return read(_CHUNK)
    except UnreadablePostError:  # the connection broke: what has come is kept
        return b""


def _free_path(upload: Upload, *, is_converted: bool) -> Path:
    name = PurePath(_safe_name(upload.name))
    suffix = ".wav" if is_converted else name.suffix
    folder = song_folder(upload.song_id) / "stems"
    path, count = folder / f"{name.stem}{suffix}", 1
    while path.exists():
        count += 1
        path = folder / f"{name.stem} {count}{suffix}"
    return path


def _safe_name(file_name: str) -> str:
    """Return a file name without path parts or characters that some system cannot store."""
    bare = PurePath(file_name.replace("\\", "/")).name
    cleaned = re.sub(r"[^\w .()&+-]", "_", bare).strip(" .")
    stem, suffix = PurePath(cleaned).stem[:100] or "stem", PurePath(cleaned).suffix[:8]
    return stem.lstrip(".") + suffix
