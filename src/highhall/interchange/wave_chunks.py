"""The chunks of a WAV file: RIFF, RF64 and BW64.

References
----------
Microsoft and IBM, "Multimedia Programming Interface and Data Specifications 1.0" (1991): RIFF.
EBU Tech 3306 (2009) and ITU-R BS.2088-1 (2019): RF64 and BW64, whose ds64 chunk holds the size of the sound.
"""

import struct
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

UNKNOWN_SIZE = 0xFFFFFFFF
"""What RF64 says of a size that its ds64 chunk holds."""


@dataclass(frozen=True, slots=True)
class Chunk:
    """A chunk's four letters, where its body starts in the file, and how long it says that it is, in bytes.

    Sound that was written without knowing its length lasts to the file's end.
    """

    name: bytes
    start: int
    size: int


def wave_chunks(path: Path) -> Iterator[Chunk]:
    """Yield the chunks of a WAV file in order, also one that the file is too short for; none for another file."""
    with path.open("rb") as file:
        header = file.read(12)
        if len(header) < 12 or header[:4] not in (b"RIFF", b"RF64", b"BW64") or header[8:] != b"WAVE":
            return
        sound_size, length = UNKNOWN_SIZE, path.stat().st_size
        while len(head := file.read(8)) == 8:
            name, size = head[:4], int(struct.unpack("<I", head[4:])[0])
            start = file.tell()
            if name == b"ds64":
                body = file.read(16)
                sound_size = int(struct.unpack_from("<Q", body, 8)[0]) if len(body) == 16 else sound_size
            if name == b"data" and size == UNKNOWN_SIZE:
                size = sound_size
            if size == UNKNOWN_SIZE:
                yield Chunk(name, start, length - start)
                return
            yield Chunk(name, start, size)
            following = start + size + size % 2
            if following > length:
                return
            file.seek(following)


def chunk_body(path: Path, chunk: Chunk, longest: int) -> bytes:
    """Return a chunk's bytes, at most `longest` of them."""
    with path.open("rb") as file:
        file.seek(chunk.start)
        return file.read(min(chunk.size, longest))
