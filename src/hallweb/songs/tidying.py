"""What is kept only to be quick, or for a while, does not grow for ever: decoded stems, analyses, sessions; and how large all is."""

import shutil
import threading
import time
from pathlib import Path

from django.conf import settings
from django.core.management import call_command
from django.utils import timezone

from hallweb.songs.files import analyses_folder, decoded_folder, segments_folder, upload_file
from hallweb.songs.models import ImpulseResponse, Song, Stem, Upload

_HOUR_S = 3600.0
YOUNG_S = 3600
"""What is younger may be of a stem whose row is still to come."""


def tidy() -> None:
    """Remove what nobody needs any more, and of decoded stems as much as goes over their limit."""
    known = set(Stem.objects.values_list("content_hash", flat=True)) | set(
        ImpulseResponse.objects.values_list("content_hash", flat=True)
    )
    for folder in (decoded_folder(), analyses_folder()):
        _remove_unknown(folder, known)
    _remove_foreign_segments()
    bound_copies()
    call_command("clearsessions")


def bound_copies() -> None:
    """Remove what this machine has only to be quick and has not read for longest, as far as it goes over the limit."""
    copies = [decoded_folder()]
    if settings.FILES_ARE_ELSEWHERE:
        copies += [Path(settings.DATA_DIR) / name for name in ("songs", "prints", "measured")]
    for folder in copies:
        _remove_over(folder, settings.DECODED_LIMIT_BYTES)
    _remove_left_uploads()


def bound_copies_hourly() -> None:
    """Do so again and again, on a thread of its own: jobs of the queue run on some machine, this on each that plays."""

    def go_on() -> None:
        while True:
            time.sleep(_HOUR_S)
            bound_copies()

    threading.Thread(target=go_on, name="bounding", daemon=True).start()


def sizes() -> dict[str, int]:
    """Return how many bytes each folder of the data folder takes."""
    return {folder.name: _size(folder) for folder in sorted(Path(settings.DATA_DIR).iterdir()) if folder.is_dir()}


def _files(folder: Path) -> list[Path]:
    return [path for path in folder.rglob("*") if path.is_file()] if folder.exists() else []


def _remove_unknown(folder: Path, known: set[str]) -> None:
    """Remove files that are named by a content which no song has."""
    young = timezone.now().timestamp() - YOUNG_S
    for path in _files(folder):
        content = path.name.lstrip(".").partition("-")[0].partition(".")[0]
        if content not in known and path.stat().st_mtime < young:
            path.unlink(missing_ok=True)


def _remove_foreign_segments() -> None:
    """Remove the segments of songs that are gone, and what an earlier version kept in other places."""
    songs = {str(pk) for pk in Song.objects.values_list("pk", flat=True)}
    for folder in segments_folder().glob("*"):
        if folder.name not in songs:
            shutil.rmtree(folder, ignore_errors=True)
    for path in segments_folder().glob("*/*.flac"):
        path.unlink(missing_ok=True)


def _remove_over(folder: Path, limit: int) -> None:
    """Remove files until a folder is within its limit, what was read least recently first; it is decoded anew when it is needed."""
    files = sorted(_files(folder), key=lambda path: path.stat().st_atime)
    over = sum(path.stat().st_size for path in files) - limit
    for path in files:
        if over <= 0:
            return
        over -= path.stat().st_size
        path.unlink(missing_ok=True)


def _remove_left_uploads() -> None:
    """Remove what arrived of uploads that were finished, by another machine, or dropped."""
    open_uploads = {upload_file(pk) for pk in Upload.objects.values_list("pk", flat=True)}
    young = timezone.now().timestamp() - YOUNG_S
    for path in upload_file(0).parent.glob("*.part"):
        if path not in open_uploads and path.stat().st_mtime < young:
            path.unlink(missing_ok=True)


def _size(folder: Path) -> int:
    try:
        return sum(path.stat().st_size for path in _files(folder))
    except OSError:  # the database's own folder, which is closed to others, or a file that goes meanwhile
        return 0
