"""A segment as a FLAC file that says of itself what a player needs beside its sound.

FLAC (RFC 9639) has a block of comments, name and value: HEADROOM is the factor that the sound was divided by, FED is what the
segment's return is fed, a peak in every tenth of a second, and CRC32 (ISO 3309, as zlib computes it) is that of all bytes behind
the blocks, as eight digits in hex. Whoever serves the file need not know it.
"""

import io
import math
import struct
import zlib
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import soundfile as sf

from highhall.effects import Signal

HEADROOM = 8.0
"""Segments are written at 1/8, since a lane may pass full scale before it is summed; a louder one at 1/16, 1/32 ..."""

_MARK = b"fLaC"
_COMMENTS = 4
_LAST = 0x80


class DamagedSegmentError(ValueError):
    """A file is not as it was written."""


@dataclass(frozen=True, slots=True)
class SegmentFile:
    """A segment's file: `content` is all of it.

    headroom: the factor that its sound was divided by. fed_peaks: a peak in every tenth of a second, 1 being full scale.
    """

    content: bytes
    headroom: float
    fed_peaks: tuple[float, ...]

    @classmethod
    def of_sound(cls, samples: Signal, fed_peaks: Signal, sample_rate: int) -> "SegmentFile":
        """Write a segment, (2, frames), in 24 bit, with the peaks of what its return is fed."""
        headroom = _headroom(samples)
        file = io.BytesIO()
        steps = np.rint(np.clip(samples.T * np.float32(2**23 / headroom), -(2**23), 2**23 - 1)).astype(np.int32) << 8
        sf.write(file, steps, sample_rate, subtype="PCM_24", format="FLAC", compression_level=0.0)  # soon before small
        blocks, frames = _parts(file.getvalue())
        fed = ",".join(f"{float(peak):.4g}" for peak in fed_peaks)
        comments = {"HEADROOM": f"{headroom:g}", "FED": fed, "CRC32": _sum_of(frames)}
        kept = [(kind, body) for kind, body in blocks if kind != _COMMENTS]
        head = [*kept[:1], (_COMMENTS, _comment_block(comments)), *kept[1:]]  # what the sound is like comes first
        return cls.of(b"".join([_MARK, *_blocks(head), frames]))

    @classmethod
    def of(cls, content: bytes) -> "SegmentFile":
        """Read a file.

        Raises
        ------
        DamagedSegmentError
            If it is not as it was written.
        """
        try:
            blocks, frames = _parts(content)
            comments = _comments(dict(blocks)[_COMMENTS])
            is_whole = comments["CRC32"] == _sum_of(frames)
            headroom = float(comments["HEADROOM"])
            fed_peaks = tuple(float(peak) for peak in comments["FED"].split(",") if peak)
        except (KeyError, ValueError, IndexError, struct.error) as error:
            raise DamagedSegmentError("no segment") from error
        if not is_whole:
            raise DamagedSegmentError("its sound does not agree with its checksum")
        return cls(content, headroom, fed_peaks)

    @property
    def sound(self) -> Signal:
        """The segment, (2, frames), as loud as it was before it was divided."""
        samples, _ = sf.read(io.BytesIO(self.content), dtype="float32")
        sound: Signal = samples.T * np.float32(self.headroom)
        return sound


def _headroom(samples: Signal) -> float:
    """Return the factor, a power of two from 8 up, that a sound is divided by so as not to clip."""
    peak = float(np.abs(samples).max(initial=0.0))
    return HEADROOM * 2.0 ** max(math.ceil(math.log2(max(peak, 1e-9) / HEADROOM)), 0)


def _sum_of(frames: bytes) -> str:
    return f"{zlib.crc32(frames):08x}"


def _parts(content: bytes) -> tuple[list[tuple[int, bytes]], bytes]:
    """Return the blocks of a FLAC file, (type, content) of each, and all that follows them."""
    if content[:4] != _MARK:
        raise DamagedSegmentError("no FLAC")
    blocks, at, is_last = [], 4, False
    while not is_last:
        is_last, kind = bool(content[at] & _LAST), content[at] & ~_LAST
        length = int.from_bytes(content[at + 1 : at + 4])
        blocks.append((kind, content[at + 4 : at + 4 + length]))
        at += 4 + length
    return blocks, content[at:]


def _blocks(blocks: list[tuple[int, bytes]]) -> Iterator[bytes]:
    for number, (kind, body) in enumerate(blocks, 1):
        yield bytes([kind | (_LAST if number == len(blocks) else 0)]) + len(body).to_bytes(3) + body


def _comment_block(comments: dict[str, str]) -> bytes:
    """Return the content of a block of comments: lengths are little-endian there, as in Vorbis."""
    lines = [f"{name}={value}".encode() for name, value in comments.items()]
    return struct.pack("<II", 0, len(lines)) + b"".join(struct.pack("<I", len(line)) + line for line in lines)


def _comments(block: bytes) -> dict[str, str]:
    at = 4 + struct.unpack_from("<I", block)[0]
    (count,) = struct.unpack_from("<I", block, at)
    comments, at = {}, at + 4
    for _ in range(min(count, 16)):
        (length,) = struct.unpack_from("<I", block, at)
        name, _, value = block[at + 4 : at + 4 + length].decode().partition("=")
        comments[name] = value
        at += 4 + length
    return comments
