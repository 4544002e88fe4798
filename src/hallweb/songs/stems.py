"""A song's stems, decoded once and kept open in this process."""

import threading
from functools import lru_cache

from hallweb.songs.files import decoded_folder, song_folder
from hallweb.songs.models import Stem
from highhall.interchange.audio_files import decoded_stem
from highhall.render import Stems

_opening = threading.Lock()

StemList = tuple[tuple[str, str], ...]
"""(path, content hash) of every stem of a song."""


def stem_list(song_id: int) -> StemList:
    """Return what stems a song has now."""
    return tuple(Stem.objects.filter(song_id=song_id).values_list("path", "content_hash"))


def open_stems(song_id: int, sample_rate: int, stems: StemList) -> Stems:
    """Return a song's stems as memory-mapped sound; decoded again only if one was replaced.

    One thread at a time, so that several requests do not decode the same stems side by side.

    Raises
    ------
    AudioFileError
        If a stem's file cannot be used.
    """
    with _opening:
        return _opened(song_id, sample_rate, stems)


@lru_cache(maxsize=16)
def _opened(song_id: int, sample_rate: int, stems: StemList) -> Stems:
    folder = song_folder(song_id)
    return Stems({path: decoded_stem(folder / path, sample_rate, decoded_folder()) for path, _ in stems})
