"""A song's sound files, decoded once and kept open in this process."""

import hashlib
import threading
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from hallweb.songs.files import decoded_folder, song_folder
from hallweb.songs.lasting import here
from hallweb.songs.models import ImpulseResponse, Stem
from highhall.effects import Response, read_response
from highhall.interchange.audio_files import decoded_stem
from highhall.render import Stems

_opening = threading.Lock()

Files = tuple[tuple[str, str], ...]
"""(path, content hash) of files of a song."""


@dataclass(frozen=True, slots=True)
class SongSounds:
    """What sound files a song has now; equal values mean equal sound."""

    song_id: int
    stems: Files
    responses: Files

    @property
    def hashes(self) -> dict[str, str]:
        """Content hash by path."""
        return dict(self.stems + self.responses)

    @property
    def mark(self) -> str:
        """What tells these sounds from others in the name of something that is kept."""
        return hashlib.sha256(repr(self).encode()).hexdigest()[:16]


def song_sounds(song_id: int) -> SongSounds:
    """Return what sound files a song has now."""
    return SongSounds(
        song_id,
        *(
            tuple(model.objects.filter(song_id=song_id).values_list("path", "content_hash"))
            for model in (Stem, ImpulseResponse)
        ),
    )


def fetch(sounds: SongSounds, paths: Iterable[str]) -> None:
    """See to it that sound files of a song are on this machine.

    Raises
    ------
    FileNotHereError
        If one comes damaged.
    """
    hashes, folder = sounds.hashes, song_folder(sounds.song_id)
    for path in paths:
        here(folder / path, hashes.get(path, ""))


def open_stems(sounds: SongSounds, sample_rate: int) -> Stems:
    """Return a song's stems as memory-mapped sound with its impulse responses; decoded again only if one was replaced.

    One thread at a time, so that several requests do not decode the same stems side by side.

    Raises
    ------
    AudioFileError
        If a stem's or response's file cannot be used.
    """
    with _opening:
        return _opened(sounds, sample_rate)


def open_responses(sounds: SongSounds, sample_rate: int) -> Mapping[str, Response]:
    """Return a song's impulse responses by path, at a rate in Hz."""
    fetch(sounds, [path for path, _ in sounds.responses])
    folder = song_folder(sounds.song_id)
    return {path: _response(folder / path, content, sample_rate) for path, content in sounds.responses}


@lru_cache(maxsize=16)
def _opened(sounds: SongSounds, sample_rate: int) -> Stems:
    folder = song_folder(sounds.song_id)
    fetch(sounds, [path for path, _ in sounds.stems])
    stems = {
        path: decoded_stem(folder / path, sample_rate, decoded_folder(), content) for path, content in sounds.stems
    }
    return Stems(stems, open_responses(sounds, sample_rate))


@lru_cache(maxsize=32)
def _response(path: Path, content: str, sample_rate: int) -> Response:  # noqa: ARG001 - another content is another sound
    return read_response(path, sample_rate)
