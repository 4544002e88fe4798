"""Files of segments on disk, a folder a song, in bounded room: what was used least recently goes first.

A file is written whole or not at all, under its key, which says all that can be heard in it; the front serves it from here without
asking us. Several processes may use one folder: the same key is the same sound, whoever writes it.
"""

import threading
from pathlib import Path

from highhall.interchange.audio_files import written_whole

_ROOM_MADE = 0.1
"""The share of the limit that is freed at once, so that not every new segment has to look for room."""


class SegmentStore:
    """Segments in a folder, `limit_bytes` of them at the most; safe to use from several threads."""

    def __init__(self, folder: Path, limit_bytes: int) -> None:
        self._folder, self._limit = folder, limit_bytes
        self._guard = threading.Lock()
        self._written = limit_bytes  # since the room was last counted: it is counted at the first write

    def read(self, song_id: int, key: str) -> bytes | None:
        """Return the file of a segment; None if it is not there."""
        path = self._path(song_id, key)
        try:
            content = path.read_bytes()
            path.touch()
        except FileNotFoundError:
            return None
        return content

    def write(self, song_id: int, key: str, content: bytes) -> None:
        """Store a segment; others go if there is no room for it."""
        with written_whole(self._path(song_id, key)) as temporary:
            temporary.write_bytes(content)
        with self._guard:
            self._written += len(content)
            if self._written > self._limit * _ROOM_MADE:
                self._make_room()
                self._written = 0

    def drop(self, song_id: int, key: str) -> None:
        """Remove a segment that turned out to be damaged."""
        self._path(song_id, key).unlink(missing_ok=True)

    def _path(self, song_id: int, key: str) -> Path:
        return self._folder / str(song_id) / key[:2] / f"{key}.flac"

    def _make_room(self) -> None:
        """Remove the least recently used segments until a tenth of the limit is free."""
        files = []
        for path in self._folder.rglob("*.flac"):
            try:
                facts = path.stat()
            except FileNotFoundError:  # another process was first
                continue
            files.append((max(facts.st_mtime_ns, facts.st_atime_ns), facts.st_size, path))  # others read it as well
        room = sum(size for _, size, _ in files)
        for _, size, path in sorted(files):
            if room <= self._limit * (1 - _ROOM_MADE):
                return
            path.unlink(missing_ok=True)
            room -= size
