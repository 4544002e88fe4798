"""Stems that come in from a browser: written whole, checked, and named so that nothing can go astray."""

import re
from collections.abc import Callable
from pathlib import PurePath

from django.db import transaction
from django.http import UnreadablePostError

from hallweb.songs.files import song_folder
from hallweb.songs.models import Song, Stem
from highhall.errors import CoreError
from highhall.interchange.audio_files import content_hash, sound_facts, written_whole
from highhall.interchange.folder import SUFFIXES

_CHUNK = 1 << 20
LARGEST_BYTES = 4 << 30


class UploadError(CoreError):
    """A file cannot be taken as a stem; the text says why and what would be right."""


def receive_stem(song: Song, file_name: str, read: Callable[[int], bytes]) -> Stem:
    """Write an upload to the song's stems and remember it; it becomes a track with `take_stems`.

    `read` returns the next bytes of the body, at most as many as it is asked for, and none at its end.

    Raises
    ------
    UploadError
        If the name or size is not allowed, or the connection breaks.
    AudioFileError
        If it is not sound that a stem may be. In both cases nothing is left behind.
    """
    name = _safe_name(file_name)
    if PurePath(name).suffix.lower() not in SUFFIXES:
        kinds = ", ".join(sorted(suffix[1:] for suffix in SUFFIXES))
        raise UploadError(f'"{file_name}" is not a kind of sound file that can be read; expected {kinds}')
    path = song_folder(song.pk) / "stems" / name
    count = 1
    while path.exists():
        count += 1
        path = path.with_name(f"{PurePath(name).stem} {count}{PurePath(name).suffix}")
    with written_whole(path) as temporary:
        size = 0
        with temporary.open("wb") as file:
            while chunk := _read(read, file_name):
                size += len(chunk)
                if size > LARGEST_BYTES:
                    raise UploadError(f'"{file_name}" is larger than {LARGEST_BYTES >> 30} GiB')
                file.write(chunk)
        sound_facts(temporary, shown_as=file_name)
        digest = content_hash(temporary)
    with transaction.atomic():
        return Stem.objects.create(song=song, path=f"stems/{path.name}", content_hash=digest)


def _read(read: Callable[[int], bytes], file_name: str) -> bytes:
    try:
        return read(_CHUNK)
    except UnreadablePostError:
        raise UploadError(f'the connection broke while "{file_name}" came in; send it again') from None


def _safe_name(file_name: str) -> str:
    """Return a file name without path parts or characters that some system cannot store."""
    bare = PurePath(file_name.replace("\\", "/")).name
    cleaned = re.sub(r"[^\w .()&+-]", "_", bare).strip(" .")
    stem, suffix = PurePath(cleaned).stem[:100] or "stem", PurePath(cleaned).suffix[:8]
    return stem.lstrip(".") + suffix
