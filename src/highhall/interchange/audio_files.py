"""Sound files in and out.

Every stem is decoded once, resampled to the song's rate if need be, into a planar float32 file that is
memory-mapped: reading any stretch of it afterwards costs nothing, whatever the song's length.
"""

import hashlib
import os
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile as sf
import soxr
from numpy.typing import NDArray

from highhall.errors import CoreError

_CHUNK_FRAMES = 65536
LOUDEST = 1000.0
Audio = NDArray[np.float32]


class AudioFileError(CoreError):
    """A sound file cannot be read, or holds something that a stem may not."""


def content_hash(path: Path) -> str:
    """Return the SHA-256 of a file's bytes as hex."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


@contextmanager
def written_whole(path: Path) -> Iterator[Path]:
    """Give a temporary path beside `path` that takes its place when the block ends without an error."""
    path.parent.mkdir(parents=True, exist_ok=True)
    handle, name = tempfile.mkstemp(dir=path.parent, prefix=f".{path.stem}-", suffix=path.suffix)
    os.close(handle)
    temporary = Path(name)
    try:
        yield temporary
        temporary.chmod(0o644)
        temporary.replace(path)
    finally:
        temporary.unlink(missing_ok=True)


def decoded_stem(path: Path, sample_rate: int, folder: Path, content: str = "") -> Audio:
    """Return a stem's samples at `sample_rate`, memory-mapped, (1 or 2, frames).

    The decoded copy in `folder` is named by the stem's content and reused. content: `content_hash` of the file, where it is known;
    else all of the file is read for it.

    Raises
    ------
    AudioFileError
        If the file is missing, is not sound, has more than two channels, is empty or holds samples
        that are not numbers.
    """
    if not path.is_file():
        raise AudioFileError(f'"{path.name}" is missing; expected a sound file at {path}')
    copy = folder / f"{content or content_hash(path)}-{sample_rate}.f32"
    channels = sound_facts(path).channels
    if not copy.exists():
        _decode(path, sample_rate, copy, channels)
    samples = np.memmap(copy, np.float32, mode="r")
    return samples.reshape(channels, -1)


@dataclass(frozen=True, slots=True, kw_only=True)
class SoundFacts:
    """What a sound file's header says."""

    channels: int
    frames: int
    sample_rate: int

    @property
    def seconds(self) -> float:
        """The length in seconds."""
        return self.frames / self.sample_rate


def sound_facts(path: Path, shown_as: str | None = None, *, most_channels: int | None = 2) -> SoundFacts:
    """Return what a stem's header says; `shown_as` is the name that errors call it by.

    Raises
    ------
    AudioFileError
        If it is not sound, has more than `most_channels`, or holds no samples.
    """
    name = shown_as or path.name
    try:
        info = sf.info(path)
    except sf.LibsndfileError as error:
        raise AudioFileError(f'"{name}" cannot be read as sound: {error.error_string}') from None
    except (sf.SoundFileError, RuntimeError, ValueError, OverflowError) as error:
        raise AudioFileError(f'"{name}" cannot be read as sound: {error}') from None
    if most_channels is not None and info.channels > most_channels:
        raise AudioFileError(f'"{name}" has {info.channels} channels; expected one (mono) or two (stereo)')
    if info.frames == 0:
        raise AudioFileError(f'"{name}" holds no samples')
    return SoundFacts(channels=info.channels, frames=info.frames, sample_rate=info.samplerate)


def _decode(path: Path, sample_rate: int, copy: Path, channels: int) -> None:
    """Write a planar copy; interleaved chunks are collected per channel first, so memory stays bounded."""
    with written_whole(copy) as temporary, tempfile.TemporaryDirectory(dir=copy.parent) as folder:
        parts = [Path(folder) / str(channel) for channel in range(channels)]
        files = [part.open("wb") for part in parts]
        try:
            for chunk in _resampled_chunks(path, sample_rate):
                for channel, file in enumerate(files):
                    file.write(np.ascontiguousarray(chunk[:, channel]).tobytes())
        finally:
            for file in files:
                file.close()
        with temporary.open("wb") as whole:
            for part in parts:
                with part.open("rb") as channel_file:
                    shutil.copyfileobj(channel_file, whole)


def sound_blocks(path: Path, shown_as: str | None = None) -> Iterator[Audio]:
    """Yield a sound file's samples from its first to its last, (frames, channels) a block; only the last is short, and may be empty.

    Raises
    ------
    AudioFileError
        If the library that reads it fails in any way, or it holds samples that are not numbers or are louder than
        60 dB over full scale. `shown_as` is the name that errors call it by.
    """
    name, read = shown_as or path.name, 0
    try:
        with sf.SoundFile(path) as file:
            while True:
                block = np.asarray(file.read(_CHUNK_FRAMES, dtype="float32", always_2d=True), np.float32)
                read += len(block)
                _require_sane(block, name)
                yield block
                if len(block) < _CHUNK_FRAMES:
                    return
    except (sf.SoundFileError, RuntimeError, ValueError, OverflowError) as error:
        raise AudioFileError(f'"{name}" breaks off after {read} samples: {str(error).rstrip(".")}') from None


def _require_sane(block: Audio, name: str) -> None:
    loudest = float(np.abs(block).max(initial=0.0))
    if not np.isfinite(loudest):
        raise AudioFileError(f'"{name}" holds samples that are not numbers (NaN or infinity)')
    if loudest > LOUDEST:
        raise AudioFileError(
            f'"{name}" holds samples of {loudest:.3g} times full scale; expected at most {LOUDEST:g} (60 dB over it)'
        )


def _resampled_chunks(path: Path, sample_rate: int) -> Iterator[Audio]:
    """Yield (frames, channels) at `sample_rate`; soxr's very high quality is linear in phase."""
    facts = sound_facts(path, most_channels=None)
    if facts.sample_rate == sample_rate:
        yield from sound_blocks(path)
        return
    stream = soxr.ResampleStream(facts.sample_rate, sample_rate, facts.channels, dtype="float32", quality="VHQ")
    for block in sound_blocks(path):
        yield stream.resample_chunk(block, last=len(block) < _CHUNK_FRAMES).reshape(-1, facts.channels)
