"""Backups: all rows as PostgreSQL dumps them, and the files that have to last, each copied once."""

import os
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path

from django.conf import settings
from django.db import connection

from hallweb.songs.files import song_folder
from hallweb.songs.lasting import here, settle
from hallweb.songs.models import ImpulseResponse, Stem
from highhall.errors import CoreError
from highhall.interchange.audio_files import content_hash, written_whole

LASTING = ("songs", "kept-responses", "prints", "measured")
"""The folders of the data folder that are backed up. Everything else is made again when it is needed."""

_DUMP = "database.dump"
_FILES = "files"


class BackupError(CoreError):
    """A backup cannot be made or restored."""


def back_up(folder: Path) -> int:
    """Write all rows and files into a folder, which may hold an earlier backup; return how many files were new.

    Rows go first: a file that came later belongs to no row, and is no harm. Where files are in S3, only rows are written.

    Raises
    ------
    BackupError
        If PostgreSQL's `pg_dump` cannot do its part.
    """
    folder.mkdir(parents=True, exist_ok=True)
    with written_whole(folder / _DUMP) as temporary:
        _run("pg_dump", "--format=custom", f"--file={temporary}")
    settle(folder / _DUMP)
    if settings.FILES_ARE_ELSEWHERE:
        return 0
    return _copy_missing(Path(settings.DATA_DIR), folder / _FILES)


def restore(folder: Path) -> int:
    """Put a backup into an empty database and data folder; return how many files that were.

    Raises
    ------
    BackupError
        If there is no backup, or something is there already.
    """
    if not (folder / _DUMP).is_file():
        raise BackupError(f"there is no backup in {folder}")
    if connection.introspection.table_names():
        raise BackupError(f'the database "{_database()["NAME"]}" is not empty; restore into one that is')
    connection.close()
    _run("pg_restore", "--no-owner", "--exit-on-error", "--single-transaction", str(folder / _DUMP))
    if settings.FILES_ARE_ELSEWHERE:
        return 0
    return _copy_missing(folder / _FILES, Path(settings.DATA_DIR))


def faults() -> Iterator[str]:
    """Yield a sentence for each stem and response whose file is missing, or is not what its row says."""
    for model in (Stem, ImpulseResponse):
        for song_id, path, sha256 in model.objects.values_list("song_id", "path", "content_hash"):
            file = here(song_folder(song_id) / path)
            if not file.is_file():
                yield f'"{path}" of song {song_id} is missing'
            elif content_hash(file) != sha256:
                yield f'"{path}" of song {song_id} is not what was stored'


def _copy_missing(source: Path, target: Path) -> int:
    """Copy what lasts, where no file of that size is there yet; what lasts never changes under its name."""
    copied = 0
    for path in sorted(path for name in LASTING for path in (source / name).rglob("*") if path.is_file()):
        if path.name.startswith("."):  # being written
            continue
        copy = target / path.relative_to(source)
        if copy.exists() and copy.stat().st_size == path.stat().st_size:
            continue
        copy.parent.mkdir(parents=True, exist_ok=True)
        with written_whole(copy) as temporary:
            shutil.copyfile(path, temporary)
        settle(copy)
        copied += 1
    return copied


def _database() -> dict[str, str]:
    return {name: str(value) for name, value in connection.settings_dict.items()}


def _run(program: str, *arguments: str) -> None:
    database = _database()
    where = [f"--host={database['HOST']}", f"--port={database['PORT']}", f"--username={database['USER']}"]
    environment = {**os.environ, "PGPASSWORD": database["PASSWORD"]}
    command = [program, *where, f"--dbname={database['NAME']}", *arguments]
    done = subprocess.run(command, env=environment, capture_output=True, text=True, check=False)  # noqa: S603 - our own words
    if done.returncode:
        raise BackupError(f"{program} did not do it: {done.stderr.strip() or done.returncode}")
