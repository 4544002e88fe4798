"""Segments of sound on disk, named by their keys, in bounded room: what was used least recently goes first.

A file is the segment's FLAC and four bytes of its CRC-32 (ISO 3309, as zlib computes it). It is written whole or not at
all, and one that does not agree with its checksum is as good as not there. Several processes may use one folder: the
same key is the same sound, whoever writes it.
"""

import threading
import zlib
from pathlib import Path

from highhall.interchange.audio_files import written_whole

_CHECKSUM_BYTES = 4
_ROOM_MADE = 0.1
"""The share of the limit that is freed at once, so that not every new segment has to look for room."""


class SegmentStore:
    """Segments in a folder, `limit_bytes` of them at the most; safe to use from several threads."""

    def __init__(self, folder: Path, limit_bytes: int) -> None:
        self._folder, self._limit = folder, limit_bytes
        self._guard = threading.Lock()
        self._written = limit_bytes  # since the room was last counted: it is counted at the first write

    def read(self, key: str) -> bytes | None:
        """Return a segment's FLAC; None if it is not there, or not as it was written."""
        path = self._path(key)
        try:
            content = path.read_bytes()
        except FileNotFoundError:
            return None
        sound, checksum = content[:-_CHECKSUM_BYTES], content[-_CHECKSUM_BYTES:]
        if zlib.crc32(sound).to_bytes(_CHECKSUM_BYTES) != checksum:
            path.unlink(missing_ok=True)
            return None
        path.touch()
        return sound

    def write(self, key: str, sound: bytes) -> None:
        """Store a segment; others go if there is no room for it."""
        with written_whole(self._path(key)) as temporary:
            temporary.write_bytes(sound + zlib.crc32(sound).to_bytes(_CHECKSUM_BYTES))
        with self._guard:
            self._written += len(sound)
            if self._written > self._limit * _ROOM_MADE:
                self._make_room()
                self._written = 0

    def _path(self, key: str) -> Path:
        return self._folder / key[:2] / f"{key}.flac"

    def _make_room(self) -> None:
        """Remove the least recently used segments until a tenth of the limit is free."""
        files = []
        for path in self._folder.glob("*/*.flac"):
            try:
                facts = path.stat()
            except FileNotFoundError:  # another process was first
                continue
            files.append((facts.st_mtime_ns, facts.st_size, path))
        room = sum(size for _, size, _ in files)
        for _, size, path in sorted(files):
            if room <= self._limit * (1 - _ROOM_MADE):
                return
            path.unlink(missing_ok=True)
            room -= size
