"""ZIP archives that are written while they are sent: nothing is kept but the file at hand, and the same files give the same bytes.

References
----------
PKWARE, "APPNOTE.TXT - .ZIP File Format Specification", 6.3.10 (2022): stored entries, data descriptors, ZIP64.
"""

import io
import zipfile
from collections.abc import Iterator, Mapping
from pathlib import Path

_CHUNK_BYTES = 1 << 20
_BIG_BYTES = 1 << 31
_DATE = (1980, 1, 1, 0, 0, 0)
_MODE = 0o100644 << 16


class _Outlet(io.RawIOBase):
    """A file that cannot be sought; what is written to it is taken out again."""

    def __init__(self) -> None:
        self._waiting = bytearray()

    def writable(self) -> bool:
        return True

    def write(self, data: bytes) -> int:  # type: ignore[override]
        self._waiting += data
        return len(data)

    def taken(self) -> bytes:
        out = bytes(self._waiting)
        self._waiting.clear()
        return out


Content = Path | bytes | Iterator[bytes]
"""What becomes an entry of an archive: a file, bytes, or bytes that come one after another."""


def zip_chunks(files: Mapping[str, Content]) -> Iterator[bytes]:
    """Yield an archive of files, by their names in it, in their order; sound hardly shrinks, so nothing is compressed.

    Raises
    ------
    OSError
        If a file cannot be read.
    """
    outlet = _Outlet()
    with zipfile.ZipFile(outlet, "w", zipfile.ZIP_STORED) as archive:
        for name, content in files.items():
            info = zipfile.ZipInfo(name, _DATE)
            info.external_attr = _MODE
            with archive.open(info, "w", force_zip64=_may_be_big(content)) as entry:
                for chunk in _chunks(content):
                    entry.write(chunk)
                    yield outlet.taken()
            yield outlet.taken()
    yield outlet.taken()


def _may_be_big(content: Content) -> bool:
    match content:
        case bytes():
            return len(content) >= _BIG_BYTES
        case Path():
            return content.stat().st_size >= _BIG_BYTES
    return True


def _chunks(content: Content) -> Iterator[bytes]:
    if isinstance(content, bytes):
        yield content
        return
    if not isinstance(content, Path):
        yield from content
        return
    with content.open("rb") as file:
        while chunk := file.read(_CHUNK_BYTES):
            yield chunk
