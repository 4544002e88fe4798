"""Files that have to last: stems, responses, prints, what was heard in stems.

Django's storage `lasting` holds them. By default it is the data folder itself, and then there is nothing to do here but to wait for
the disk. If it is elsewhere (S3), what lies in the data folder of a machine is a copy, which is fetched when it is needed.
"""

import hashlib
import os
import shutil
from pathlib import Path

from django.conf import settings
from django.core.files import File
from django.core.files.storage import Storage, storages

from hallweb.songs.locks import Locks
from highhall.errors import CoreError
from highhall.interchange.audio_files import written_whole

_CHUNK_BYTES = 1 << 20
_fetching = Locks()


class FileNotHereError(CoreError):
    """A file cannot be fetched, or another came than was stored."""


def settle(*paths: Path) -> None:
    """Wait until files, and their names in their folders, are on this machine's disk."""
    for path in (*paths, *{path.parent for path in paths}):
        handle = os.open(path, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def keep(*paths: Path) -> None:
    """Let files of the data folder last: what is acknowledged after this outlives a loss of power, and of this machine if files are elsewhere."""
    settle(*paths)
    if settings.FILES_ARE_ELSEWHERE:
        for path in paths:
            with path.open("rb") as file:
                _storage().save(_name(path), File(file))


def here(path: Path, sha256: str = "") -> Path:
    """Return a path of the data folder, after fetching its file if that is elsewhere; without one, whoever opens it is told.

    Raises
    ------
    FileNotHereError
        If what comes is not what was stored, by its SHA-256.
    """
    if settings.FILES_ARE_ELSEWHERE and not path.exists():
        with _fetching.of(path):
            if not path.exists() and _storage().exists(_name(path)):
                _fetch(path, sha256)
    return path


def forget(folder: Path) -> None:
    """Remove a folder of the data folder, wherever its files are."""
    shutil.rmtree(folder, ignore_errors=True)
    if settings.FILES_ARE_ELSEWHERE:
        _forget_stored(_storage(), _name(folder))


def address_of(path: Path, filename: str) -> str | None:
    """Return a signed address, for a while, under which a browser gets a file by itself; None if it has to be sent."""
    if not settings.FILES_ARE_ELSEWHERE:
        return None
    plain = filename.encode("ascii", "replace").decode().replace('"', "'")
    asked = {"ResponseContentDisposition": f'attachment; filename="{plain}"'}
    address: str = _storage().url(_name(path), parameters=asked)  # type: ignore[call-arg]  # S3 takes more
    return address


def _storage() -> Storage:
    return storages["lasting"]


def _name(path: Path) -> str:
    return path.relative_to(settings.DATA_DIR).as_posix()


def _fetch(path: Path, sha256: str) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    digest = hashlib.sha256()
    with written_whole(path) as temporary:
        with _storage().open(_name(path)) as stored, temporary.open("wb") as copy:
            while chunk := stored.read(_CHUNK_BYTES):
                digest.update(chunk)
                copy.write(chunk)
        if sha256 and digest.hexdigest() != sha256:
            raise FileNotHereError(f'"{path.name}" came from the storage damaged; it is fetched again the next time')


def _forget_stored(storage: Storage, name: str) -> None:
    folders, files = storage.listdir(name)
    for folder in folders:
        _forget_stored(storage, f"{name}/{folder}")
    for file in files:
        storage.delete(f"{name}/{file}")
