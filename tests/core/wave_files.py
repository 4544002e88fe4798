"""WAV files written byte by byte, whole and broken."""

import struct
from pathlib import Path

import numpy as np


def wave_file(path: Path, *chunks: tuple[bytes, bytes], seconds: float = 1.0, rate: int = 48000) -> Path:
    """Write 16-bit mono noise, with more chunks before the sound."""
    sound = (np.random.default_rng(0).standard_normal(int(seconds * rate)) * 1000).astype("<i2").tobytes()
    form = struct.pack("<HHIIHH", 1, 1, rate, 2 * rate, 2, 16)
    body = b"".join(
        name + struct.pack("<I", len(content)) + content + b"\0" * (len(content) % 2)
        for name, content in (*chunks, (b"fmt ", form), (b"data", sound))
    )
    path.write_bytes(b"RIFF" + struct.pack("<I", 4 + len(body)) + b"WAVE" + body)
    return path


def time_stamp(samples: int) -> tuple[bytes, bytes]:
    """A bext chunk whose time reference is `samples`."""
    bext = bytearray(602)
    struct.pack_into("<Q", bext, 338, samples)
    return b"bext", bytes(bext)


def cues(*points: tuple[int, str | None]) -> list[tuple[bytes, bytes]]:
    """Cue points at samples, those with a text labelled."""
    records = b"".join(
        struct.pack("<II4sIII", number, 0, b"data", 0, 0, sample) for number, (sample, _) in enumerate(points, 1)
    )
    labels = b"adtl"
    for number, (_, text) in enumerate(points, 1):
        if text is not None:
            content = struct.pack("<I", number) + text.encode() + b"\0"
            labels += b"labl" + struct.pack("<I", len(content)) + content + b"\0" * (len(content) % 2)
    return [(b"cue ", struct.pack("<I", len(points)) + records), (b"LIST", labels)]
