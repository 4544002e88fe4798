"""Cue points of a WAV file, with their labels.

References
----------
Microsoft and IBM, "Multimedia Programming Interface and Data Specifications 1.0" (1991): the cue chunk, and
labels in a LIST chunk of type adtl.
"""

import struct
from dataclasses import dataclass
from pathlib import Path

from highhall.errors import CoreError
from highhall.interchange.audio_files import sound_facts
from highhall.interchange.wave_chunks import chunk_body, wave_chunks

_CUE_BYTES = 24
_LONGEST_BODY = 1 << 20


class CuePointError(CoreError):
    """A file has no cue points to read."""


@dataclass(frozen=True, slots=True)
class CuePoint:
    """A place in a sound file, in seconds from its start, and its label."""

    seconds: float
    label: str


def read_cue_points(path: Path) -> tuple[CuePoint, ...]:
    """Return the cue points of a WAV file in order; one without a label is called by its number.

    Raises
    ------
    CuePointError
        If there are none.
    AudioFileError
        If it is not sound.
    """
    rate = sound_facts(path).sample_rate
    places: dict[int, int] = {}
    labels: dict[int, str] = {}
    for chunk in wave_chunks(path):
        body = chunk_body(path, chunk, _LONGEST_BODY) if chunk.name in (b"cue ", b"LIST") else b""
        if chunk.name == b"cue ":
            places |= _places(body)
        elif body[:4] == b"adtl":
            labels |= _labels(body[4:])
    if not places:
        raise CuePointError(f'"{path.name}" has no cue points; expected a WAV file with some')
    ordered = sorted(places.items(), key=lambda place: place[1])
    return tuple(
        CuePoint(sample / rate, labels.get(number) or f"Cue {count}")
        for count, (number, sample) in enumerate(ordered, 1)
    )


def _places(body: bytes) -> dict[int, int]:
    """Return the sample of each cue point by its number."""
    records = (body[start : start + _CUE_BYTES] for start in range(4, len(body) - _CUE_BYTES + 1, _CUE_BYTES))
    return {number: sample for number, *_, sample in (struct.unpack("<II4sIII", record) for record in records)}


def _labels(body: bytes) -> dict[int, str]:
    """Return the labels by cue point number; text is read as UTF-8, or as Latin-1 where it is none."""
    labels, start = {}, 0
    while start + 12 <= len(body):
        name, size, number = struct.unpack_from("<4sII", body, start)
        text = body[start + 12 : start + 8 + size].split(b"\0")[0]
        if name == b"labl":
            try:
                labels[number] = text.decode().strip()
            except UnicodeDecodeError:
                labels[number] = text.decode("latin-1").strip()
        start += 8 + size + size % 2
    return labels
