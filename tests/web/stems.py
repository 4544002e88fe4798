"""Bringing stems in as the browser does: in parts, finished, then made tracks of."""

from pathlib import Path

import numpy as np
from django.urls import reverse

from hallweb.analysis.stems import analyse
from hallweb.songs.models import Song, Stem, Upload
from tests.core.plans import write_stem


def sound(folder: Path, name: str = "x.wav", *, seconds: float = 1.0, rate: int = 44100, channels: int = 1) -> bytes:
    """The bytes of a sound file of noise; another name gives other noise."""
    rng = np.random.default_rng(sum(name.encode()))
    write_stem(folder / name, 0.1 * rng.standard_normal((channels, int(seconds * rate))), rate)
    return (folder / name).read_bytes()


def begin(client, song: Song, name: str, size: int, modified: int = 1):
    values = {"name": name, "size": size, "modified": modified}
    return client.post(reverse("song:begin-upload", args=[song.pk]), values)


def send(client, song: Song, upload_id: int, offset: int, part: bytes):
    address = reverse("song:receive-upload", args=[song.pk, upload_id])
    return client.post(address, part, "application/octet-stream", headers={"X-Offset": str(offset)})


def finish(client, song: Song, upload_id: int, **choice: str):
    return client.post(reverse("song:finish-upload", args=[song.pk, upload_id]), choice)


def upload(client, song: Song, name: str, content: bytes, **choice: str):
    """Send a whole file in two parts; return the answer that decided."""
    opened = begin(client, song, name, len(content))
    if opened.status_code != 200:
        return opened
    number, half = opened.json()["id"], len(content) // 2
    for offset, part in ((0, content[:half]), (half, content[half:])):
        answer = send(client, song, number, offset, part)
        if answer.status_code != 200:
            return answer
    return finish(client, song, number, **choice)


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
