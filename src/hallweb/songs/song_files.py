"""Whole songs as files: one that has arrived becomes a song; a song, or all of a user's, go out."""

import tempfile
from collections.abc import Iterator
from pathlib import Path, PurePath

from django.contrib.auth.models import User

from hallweb.songs.actions import create_song
from hallweb.songs.files import song_folder
from hallweb.songs.lasting import keep
from hallweb.songs.models import Song, Upload
from hallweb.songs.revisions import plan_of
from hallweb.songs.sounds import fetch, song_sounds
from hallweb.songs.uploads import UploadError, safe_name, whole
from highhall.effects import read_response
from highhall.errors import CoreError
from highhall.interchange.packs import PackError, pack_chunks, unpack
from highhall.interchange.sound_check import checked_sound
from highhall.interchange.zip_stream import Content, zip_chunks
from highhall.plan import Plan
from highhall.plan.edits import free_name, rename_song
from highhall.plan.references import files_of, response_paths

LARGEST_BYTES = 64 << 30


def require_song_name(name: str) -> None:
    """Require the name of a ZIP archive; UploadError if it is none."""
    if PurePath(safe_name(name)).suffix.lower() != ".zip":
        raise UploadError(f'"{name}" is no song: a song that was saved as a file is a ZIP archive')


def open_song_file(owner: User, upload: Upload, digest: str = "") -> Song:
    """Make a song of a file that has arrived; the upload is gone then. It gets another title if that is taken.

    Raises
    ------
    UploadError
        If bytes are missing (the upload stays), or others have arrived than were sent.
    CoreError
        If it is no song, or one of its sounds cannot be used; nothing is left behind.
    """
    with whole(upload, digest) as part, tempfile.TemporaryDirectory(dir=part.parent) as temporary:
        folder = Path(temporary) / "song"
        try:
            plan = unpack(part, folder)
        except PackError as error:
            raise PackError(str(error).replace(part.name, upload.name)) from None
        _check_sounds(plan, folder)
        titles = set(Song.objects.owned_by(owner).values_list("title", flat=True))
        plan = rename_song(plan, free_name(plan.song.title, titles))

        def put_files(target: Path) -> None:
            for path in files_of(plan):
                (target / path).parent.mkdir(parents=True, exist_ok=True)
                (folder / path).replace(target / path)
                keep(target / path)

        song = create_song(owner, plan, put_files, f"Opened from {upload.name}")
        part.unlink()
        upload.delete()
    return song


def _check_sounds(plan: Plan, folder: Path) -> None:
    responses = set(response_paths(plan))
    for path in files_of(plan):
        if path in responses:
            read_response(folder / path, plan.song.sample_rate)
        elif (channels := checked_sound(folder / path, path).channels) > 2:
            raise CoreError(f'"{path}" has {channels} channels; a stem has one or two')


def song_file(song: Song) -> Iterator[bytes]:
    """Return a song as a file, a chunk after another; PackError, before the first one, if a sound is missing."""
    if song.head_id is None:
        raise LookupError(f"song {song.pk} has no revision")
    plan, folder = plan_of(song.head_id), song_folder(song.pk)
    fetch(song_sounds(song.pk), files_of(plan))
    return pack_chunks(plan, folder)


def all_songs(owner: User) -> Iterator[bytes]:
    """Return an archive of a user's own songs, each as a file of its own; PackError, before the first chunk, if a sound is missing."""
    contents: dict[str, Content] = {}
    for song in Song.objects.owned_by(owner).order_by("pk"):
        contents[f"{free_name(safe_name(song.title), {name[:-4] for name in contents})}.zip"] = song_file(song)
    return zip_chunks(contents)
