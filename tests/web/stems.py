"""Bringing stems in as the browser does: in parts, finished, then made tracks of."""

from pathlib import Path

import numpy as np
from django.urls import reverse

from hallweb.analysis.stems import analyse
from hallweb.songs.models import Song, Stem, Upload
from hallweb.songs.uploads import PART_BYTES
from tests.core.plans import write_stem


def sound(folder: Path, name: str = "x.wav", *, seconds: float = 1.0, rate: int = 44100, channels: int = 1) -> bytes:
    """The bytes of a sound file of noise; another name gives other noise."""
    rng = np.random.default_rng(sum(name.encode()))
    write_stem(folder / name, 0.1 * rng.standard_normal((channels, int(seconds * rate))), rate)
    return (folder / name).read_bytes()


def begin(client, song: Song, name: str, size: int, modified: int = 1):
    values = {"name": name, "size": size, "modified": modified}
    return client.post(reverse("uploads:begin-stem", args=[song.pk]), values)


def number_of(opened) -> int:
    """Return the number of the upload that an answer has opened."""
    return int(opened.json()["url"].split("/")[-2])


def send(client, upload_id: int, offset: int, part: bytes):
    address = reverse("uploads:receive", args=[upload_id])
    return client.post(address, part, "application/octet-stream", headers={"X-Offset": str(offset)})


def finish(client, upload_id: int, **choice: str):
    return client.post(reverse("uploads:finish", args=[upload_id]), choice)


def upload(client, song: Song, name: str, content: bytes, **choice: str):
    """Send a whole file in two parts; return the answer that decided."""
    return brought(client, begin(client, song, name, len(content)), content, **choice)


def upload_song(client, name: str, content: bytes, **choice: str):
    """Send a whole song as a file; return the answer that decided."""
    values = {"name": name, "size": len(content), "modified": 1}
    return brought(client, client.post(reverse("uploads:begin-song"), values), content, **choice)


def brought(client, opened, content: bytes, **choice: str):
    """Send what an opened upload is of, in two parts or more, and finish it; return the answer that decided."""
    if opened.status_code != 200:
        return opened
    number, step = number_of(opened), min(len(content) // 2 + 1, PART_BYTES)
    for offset in range(0, len(content), step):
        answer = send(client, number, offset, content[offset : offset + step])
        if answer.status_code != 200:
            return answer
    return finish(client, number, **choice)


def take(client, song: Song, *paths: str):
    song.refresh_from_db()
    values = {"revision": song.head.number, "path": list(paths) or list(song.stems.values_list("path", flat=True))}
    return client.post(reverse("song:take-stems", args=[song.pk]), values)


def listen(song: Song) -> None:
    """Do what the worker does: listen to all stems."""
    song.refresh_from_db()
    for stem in Stem.objects.filter(song=song):
        analyse(stem, song.sample_rate)


def nothing_is_left(song: Song) -> bool:
    from hallweb.songs.files import song_folder, upload_file

    folders = (song_folder(song.pk) / "stems", upload_file(0).parent)
    return not Upload.objects.exists() and not any(path for f in folders if f.exists() for path in f.iterdir())
