"""Impulse responses of a song: those that ship with High Hall, and files that the user brings in."""

import os
from collections.abc import Iterable
from pathlib import Path, PurePath

from hallweb.songs.files import song_folder
from hallweb.songs.lasting import here, keep
from hallweb.songs.models import ImpulseResponse, Song
from highhall.capture import ROOMS, example_response
from highhall.effects import read_response
from highhall.errors import CoreError
from highhall.interchange.audio_files import content_hash, written_whole
from highhall.interchange.folder import SUFFIXES
from highhall.plan.edits import free_name, id_from_name

FOLDER = "responses"
LARGEST_BYTES = 64 << 20


def shipped_paths() -> list[str]:
    """Return the path that a plan gives each shipped response."""
    return [f"{FOLDER}/{name}.flac" for name in ROOMS]


def response_name(path: str) -> str:
    """Return what an impulse response is called: its file's name."""
    return PurePath(path).stem.replace("-", " ").capitalize()


def response_choices(song: Song) -> list[tuple[str, str]]:
    """Return (path, name) of all responses that an effect of a song may ask for."""
    paths = dict.fromkeys([*shipped_paths(), *song.responses.values_list("path", flat=True)])
    return [(path, response_name(path)) for path in paths]


def stored_file(song: Song, path: str) -> Path:
    """Return where the sound of one of `response_choices` lies."""
    if song.responses.filter(path=path).exists() or path not in shipped_paths():
        return here(song_folder(song.pk) / path)
    return example_response(PurePath(path).stem)


def provide_response(song: Song, path: str) -> None:
    """See to it that a response is in the song's folder if it is one that ships.

    Raises
    ------
    CoreError
        If it neither ships nor is the song's own.
    """
    if song.responses.filter(path=path).exists():
        return
    if path not in shipped_paths():
        raise CoreError(f'there is no impulse response "{path}" in this song; bring its file in first')
    add_file(song, path, example_response(PurePath(path).stem))


def add_file(song: Song, path: str, source: Path) -> None:
    """Put a file into a song as an impulse response under a path that is free."""
    target = song_folder(song.pk) / path
    target.parent.mkdir(parents=True, exist_ok=True)
    with written_whole(target) as temporary:
        temporary.write_bytes(source.read_bytes())
    keep(target)
    ImpulseResponse.objects.create(song=song, path=path, content_hash=content_hash(target))


def bring_in(song: Song, name: str, chunks: Iterable[bytes]) -> str:
    """Store a file that a user brings in and return its path in the plan; the same sound is stored once.

    Raises
    ------
    CoreError
        If it is no impulse response.
    """
    suffix = PurePath(name).suffix.lower()
    if suffix not in SUFFIXES:
        raise CoreError(f'"{name}" is not a kind of sound file that can be read; expected WAV, AIFF or FLAC')
    folder = song_folder(song.pk) / FOLDER
    folder.mkdir(parents=True, exist_ok=True)
    arrived = folder / f".{os.urandom(8).hex()}{suffix}"
    try:
        why = "an impulse response lasts 20 s at most"
        write_chunks(chunks, arrived, name, largest_bytes=LARGEST_BYTES, why=why)
        _check(arrived, name, song.sample_rate)
        known = song.responses.filter(content_hash=content_hash(arrived)).first()
        if known:
            return known.path
        taken = set(song.responses.values_list("path", flat=True)) | set(shipped_paths())
        stem = free_name(id_from_name(PurePath(name).stem, set()), {PurePath(path).stem for path in taken})
        path = f"{FOLDER}/{stem.replace(' ', '-')}{suffix}"
        arrived.replace(song_folder(song.pk) / path)
        keep(song_folder(song.pk) / path)
        ImpulseResponse.objects.create(song=song, path=path, content_hash=content_hash(song_folder(song.pk) / path))
        return path
    finally:
        arrived.unlink(missing_ok=True)


def _check(path: Path, name: str, sample_rate: int) -> None:
    try:
        read_response(path, sample_rate)
    except CoreError as error:
        raise CoreError(str(error).replace(path.name, name)) from None


def write_chunks(chunks: Iterable[bytes], target: Path, name: str, *, largest_bytes: int, why: str) -> None:
    """Write a file that a user brings in under a `name`.

    Raises
    ------
    CoreError
        If it is larger than it may be; `why` says the reason.
    """
    with target.open("wb") as out:
        for chunk in chunks:
            if out.tell() + len(chunk) > largest_bytes:
                raise CoreError(f'"{name}" is larger than {largest_bytes >> 20} MiB; {why}')
            out.write(chunk)
