"""Broadcast WAV: a time stamp, cue points with labels, and sound of any size.

References
----------
EBU Tech 3285, "Specification of the Broadcast Wave Format", version 2 (2011), section 2.3: the bext chunk, TimeReference at byte 338.
EBU Tech 3306, "MBWF / RF64" (2009): beyond 4 GiB the header is called RF64, and a ds64 chunk takes the place of the JUNK chunk in front.
Microsoft and IBM, "Multimedia Programming Interface and Data Specifications 1.0" (1991): fact, cue, and LIST chunks adtl and INFO.
"""

import struct
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from highhall.interchange.wave_chunks import UNKNOWN_SIZE, chunk_body, wave_chunks

_TIME_REFERENCE = 338
_LOUDNESS = 412
_BEXT_BYTES = 602
_DS64_BYTES = 28
_BIGGEST_RIFF = 0xFFFFFFF0
_NO_FIGURE = 0x7FFF
_SIZED = struct.Struct("<4sI")


def time_reference_samples(path: Path) -> int | None:
    """Return a WAV's time stamp in samples since midnight; None if it is no WAV or has none."""
    for chunk in wave_chunks(path):
        if chunk.name == b"bext":
            body = chunk_body(path, chunk, _TIME_REFERENCE + 8)
            return int(struct.unpack_from("<Q", body, _TIME_REFERENCE)[0]) if len(body) == _TIME_REFERENCE + 8 else None
    return None


@dataclass(frozen=True, slots=True)
class Label:
    """A place in a sound, in samples from its start, and what is there."""

    sample: int
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Tags:
    """What a file says of its sound beside the sound.

    time_reference: the song's sample at which the file begins, counted at the file's rate from 1|1. labels: cue points.
    """

    title: str = ""
    comment: str = ""
    coding_history: str = ""
    time_reference: int = 0
    labels: Sequence[Label] = ()


NO_TAGS = Tags()


class BroadcastWave:
    """A WAV file that is written from front to back; sizes and loudness are filled in when it is closed.

    Parameters
    ----------
    file: opened for writing and seeking, empty. sample_format: 1 for whole numbers, 3 for floating point. bits: of one sample.
    """

    def __init__(
        self, file: BinaryIO, tags: Tags, *, sample_rate: int, channels: int, sample_format: int, bits: int
    ) -> None:
        self._file, self._tags = file, tags
        self._frame_bytes = channels * bits // 8
        file.write(b"RIFF\0\0\0\0WAVE")
        self._write(b"JUNK", bytes(_DS64_BYTES))
        self._bext_at = file.tell() + 8
        self._write(b"bext", _bext(tags))
        rate = sample_rate * self._frame_bytes
        facts = struct.pack("<HHIIHH", sample_format, channels, sample_rate, rate, self._frame_bytes, bits)
        self._write(b"fmt ", facts if sample_format == 1 else facts + b"\0\0")
        self._fact_at = None if sample_format == 1 else file.tell() + 8
        if self._fact_at:
            self._write(b"fact", bytes(4))
        file.write(_SIZED.pack(b"data", 0))
        self._data_at = file.tell()

    def write(self, sound: bytes) -> None:
        """Append whole frames, interleaved."""
        self._file.write(sound)

    def close(self, *, loudness_lufs: float | None = None, true_peak_db: float | None = None) -> None:
        """Write what lies behind the sound, and the sizes of all."""
        file = self._file
        data_bytes = file.tell() - self._data_at
        if data_bytes % 2:
            file.write(b"\0")
        labels = [(number, label) for number, label in enumerate(self._tags.labels, 1) if label.sample >= 0]
        if labels:
            self._write(b"cue ", _cues([(number, label.sample) for number, label in labels]))
            self._write(b"LIST", b"adtl" + b"".join(_labl(number, label.text) for number, label in labels))
        info = {"INAM": self._tags.title, "ICMT": self._tags.comment, "ISFT": "High Hall"}
        self._write(b"LIST", b"INFO" + _info(info))
        whole = file.tell() - 8
        file.seek(self._bext_at + _LOUDNESS)
        file.write(struct.pack("<hhh", _hundredths(loudness_lufs), _NO_FIGURE, _hundredths(true_peak_db)))
        frames = data_bytes // self._frame_bytes
        if self._fact_at:
            file.seek(self._fact_at)
            file.write(struct.pack("<I", min(frames, UNKNOWN_SIZE)))
        is_big = whole > _BIGGEST_RIFF
        file.seek(0)
        file.write(_SIZED.pack(b"RF64" if is_big else b"RIFF", UNKNOWN_SIZE if is_big else whole))
        if is_big:
            file.seek(12)
            file.write(_SIZED.pack(b"ds64", _DS64_BYTES) + struct.pack("<QQQI", whole, data_bytes, frames, 0))
        file.seek(self._data_at - 4)
        file.write(struct.pack("<I", UNKNOWN_SIZE if is_big else data_bytes))
        file.seek(0, 2)

    def _write(self, name: bytes, body: bytes) -> None:
        self._file.write(_chunk(name, body))


def _chunk(name: bytes, body: bytes) -> bytes:
    return _SIZED.pack(name, len(body)) + body + b"\0" * (len(body) % 2)


def _text(text: str, size: int) -> bytes:
    """Return text as the plain ASCII that a bext chunk holds, filled up with zeros."""
    return text.encode("ascii", "replace")[:size].ljust(size, b"\0")


def _bext(tags: Tags) -> bytes:
    """Return version 2 without a date: the same print is the same bytes."""
    head = _text(f"{tags.title}. {tags.comment}".strip(". "), 256) + _text("High Hall", 32) + bytes(32 + 10 + 8)
    figures = struct.pack("<5h", *[_NO_FIGURE] * 5)
    body = head + struct.pack("<QH", tags.time_reference, 2) + bytes(64) + figures
    whole = body.ljust(_BEXT_BYTES, b"\0") + tags.coding_history.encode("ascii", "replace")
    return whole + b"\0" * (len(whole) % 2)  # some readers of RF64 forget the byte behind an odd chunk


def _hundredths(figure: float | None) -> int:
    return _NO_FIGURE if figure is None or not -300 < figure < 300 else round(100 * figure)


def _cues(places: Sequence[tuple[int, int]]) -> bytes:
    records = [struct.pack("<II4sIII", number, sample, b"data", 0, 0, sample) for number, sample in places]
    return struct.pack("<I", len(records)) + b"".join(records)


def _labl(number: int, text: str) -> bytes:
    return _chunk(b"labl", struct.pack("<I", number) + text.encode() + b"\0")


def _info(texts: Mapping[str, str]) -> bytes:
    return b"".join(_chunk(name.encode(), text.encode() + b"\0") for name, text in texts.items() if text)
