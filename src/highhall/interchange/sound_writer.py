"""Stereo sound written block by block, as Broadcast WAV or FLAC."""

from pathlib import Path
from typing import Protocol

import numpy as np
import soundfile as sf
from numba import njit
from numpy.typing import NDArray

from highhall.errors import CoreError
from highhall.interchange.audio_files import Audio
from highhall.interchange.broadcast_wave import NO_TAGS, BroadcastWave, Tags

DEPTHS = {"16": 16, "24": 24, "32f": 32}
_CHUNK_FRAMES = 65536
_SIDES = 2
_FOUR = 4


def require_depth(file_format: str, depth: str) -> None:
    """Require that a format can hold a depth; CoreError if not."""
    if file_format == "flac" and depth == "32f":
        raise CoreError("flac holds whole numbers only: choose --depth 16 or 24, or --format wav")


class _Container(Protocol):
    def write(self, block: Audio) -> None:
        """Append (2, frames)."""

    def close(self, loudness_lufs: float | None, true_peak_db: float | None) -> None:
        """Finish the file."""


class SoundWriter:
    """Writes one stereo file; clips and counts what lies over full scale, and dithers to 16 bits.

    A WAV has the tags as Broadcast WAV and becomes RF64 where it is too big for RIFF; a FLAC has them as its title and comment.
    """

    def __init__(self, path: Path, *, sample_rate: int, file_format: str, depth: str, tags: Tags = NO_TAGS) -> None:
        require_depth(file_format, depth)
        self._depth = depth
        self._dither = np.random.default_rng(0)
        container = _Wave if file_format == "wav" else _Flac
        self._container: _Container = container(path, sample_rate, DEPTHS[depth], tags)
        self.clipped_samples = 0
        self.frames = 0

    def write(self, block: Audio) -> None:
        """Append (2, frames)."""
        if self._depth != "32f":
            block = self._within_full_scale(block)
        for start in range(0, block.shape[1], _CHUNK_FRAMES):
            self._container.write(block[:, start : start + _CHUNK_FRAMES])
        self.frames += block.shape[1]

    def _within_full_scale(self, block: Audio) -> Audio:
        """Return the block, dithered to 16 bits where they are, and count what lies over full scale."""
        fits = bool(block.max(initial=0.0) <= 1.0 and block.min(initial=0.0) >= -1.0)
        if not fits:
            self.clipped_samples += int(np.count_nonzero(block > 1.0) + np.count_nonzero(block < -1.0))
        if self._depth == "16":
            step = 2.0**-15
            noise = self._dither.random((2, *block.shape), np.float32)
            block = block + step * (noise[0] - noise[1])
            fits = False
        return block if fits else np.clip(block, -1.0, 1.0)

    def close(self, *, loudness_lufs: float | None = None, true_peak_db: float | None = None) -> None:
        """Finish the file; a WAV keeps the figures."""
        self._container.close(loudness_lufs, true_peak_db)


class _Wave:
    def __init__(self, path: Path, sample_rate: int, bits: int, tags: Tags) -> None:
        self._bits = bits
        self._file = path.open("wb")
        self._wave = BroadcastWave(
            self._file,
            tags,
            sample_rate=sample_rate,
            channels=_SIDES,
            sample_format=3 if bits == DEPTHS["32f"] else 1,
            bits=bits,
        )

    def write(self, block: Audio) -> None:
        self._wave.write(encoded(block, self._bits))

    def close(self, loudness_lufs: float | None, true_peak_db: float | None) -> None:
        if not self._file.closed:
            self._wave.close(loudness_lufs=loudness_lufs, true_peak_db=true_peak_db)
            self._file.close()


class _Flac:
    def __init__(self, path: Path, sample_rate: int, bits: int, tags: Tags) -> None:
        self._file = sf.SoundFile(path, "w", sample_rate, _SIDES, subtype=f"PCM_{bits}", format="FLAC")
        places = [f"{label.text} at sample {label.sample}" for label in tags.labels]
        self._file.title = tags.title or path.stem
        self._file.comment = "; ".join(
            filter(None, [f"Begins at sample {tags.time_reference} of the song", tags.comment, *places])
        )
        self._file.software = "High Hall"

    def write(self, block: Audio) -> None:
        self._file.write(block.T)

    def close(self, *_: float | None) -> None:
        self._file.close()


def encoded(block: Audio, bits: int) -> bytes:
    """Return (channels, frames), within full scale, interleaved as little-endian samples of 16, 24 or 32 bits; 32 are floating point."""
    if bits == DEPTHS["32f"]:
        return np.array(block.T, "<f4", order="C").tobytes()
    left, right = (np.ascontiguousarray(side, np.float32) for side in block)
    samples = np.zeros(-(-2 * len(left) // _FOUR) * _FOUR, np.int32)
    _interleave(left, right, samples, np.float32(2 ** (bits - 1)))
    if bits == DEPTHS["16"]:
        return samples[: 2 * len(left)].astype("<i2").tobytes()
    words = np.empty(3 * (len(samples) // _FOUR), np.uint32)
    _pack(samples, words)
    return words.astype("<u4", copy=False).tobytes()[: 6 * len(left)]


@njit("void(float32[::1], float32[::1], int32[::1], float32)", nogil=True, cache=True)
def _interleave(left: Audio, right: Audio, samples: NDArray[np.int32], largest: np.float32) -> None:
    """Write both sides in turn as whole numbers up to `largest`, every step up to which is a float32."""
    for n in range(left.shape[0]):
        samples[2 * n] = np.int32(min(np.rint(left[n] * largest), largest - np.float32(1)))
        samples[2 * n + 1] = np.int32(min(np.rint(right[n] * largest), largest - np.float32(1)))


@njit("void(int32[::1], uint32[::1])", nogil=True, cache=True)
def _pack(samples: NDArray[np.int32], words: NDArray[np.uint32]) -> None:
    """Write the lower three bytes of every four samples to three words."""
    for group in range(words.shape[0] // 3):
        a, b = np.uint32(samples[4 * group]), np.uint32(samples[4 * group + 1])
        c, d = np.uint32(samples[4 * group + 2]), np.uint32(samples[4 * group + 3])
        words[3 * group] = (a & np.uint32(0xFFFFFF)) | (b << np.uint32(24))
        words[3 * group + 1] = ((b >> np.uint32(8)) & np.uint32(0xFFFF)) | (c << np.uint32(16))
        words[3 * group + 2] = ((c >> np.uint32(16)) & np.uint32(0xFF)) | (d << np.uint32(8))
