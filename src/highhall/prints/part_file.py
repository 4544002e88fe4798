"""One part as a file: measured, brought to the rate of the print, and written with what lies in it."""

import shutil
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import soxr
from numpy.typing import NDArray

from highhall.effects import Signal
from highhall.interchange.audio_files import content_hash
from highhall.interchange.broadcast_wave import Label, Tags
from highhall.interchange.sound_writer import SoundWriter
from highhall.plan import Plan
from highhall.prints.labels import labels_of
from highhall.prints.meter import Meter
from highhall.prints.options import PrintOptions
from highhall.prints.parts import Part

ABOUT = "About: with an effect on its way that is not linear, this is near to what Main holds of it, not exactly that."
_NO_PEAKS: NDArray[np.float32] = np.zeros(0, np.float32)


@dataclass(frozen=True, slots=True, kw_only=True)
class PrintedFile:
    """What was printed of one part.

    path: in the folder of the print. part: its key. samples: at the file's rate. lufs: gated, None for silence. dbtp: true peak.
    clipped: samples over full scale. is_about: see `Part`. peaks: the largest magnitude of every 100 ms, which no manifest keeps.
    """

    path: str
    part: str
    name: str
    sha256: str
    samples: int
    lufs: float | None
    dbtp: float
    clipped: int
    is_about: bool
    peaks: NDArray[np.float32] = field(default_factory=lambda: _NO_PEAKS, compare=False)


def tags_of(plan: Plan, part: Part, options: PrintOptions, start: int, end: int) -> Tags:
    """Return what the file of a part says beside its sound."""
    rate, song_rate = options.rate or plan.song.sample_rate, plan.song.sample_rate
    at = plan.song.time.position_at_sample(start)
    labels = [Label(round(label.sample * rate / song_rate), label.text) for label in labels_of(plan, start, end)]
    return Tags(
        title=f"{plan.song.title}, {part.name}",
        comment=f"Begins at {at}.{f' {ABOUT}' if part.is_about else ''}",
        coding_history=f"A=PCM,F={rate},W={options.depth.rstrip('f')},M=stereo,T=High Hall\r\n",
        time_reference=round(start * rate / song_rate),
        labels=labels,
    )


class PartFile:
    """A part that is being written, block by block."""

    def __init__(self, folder: Path, name: str, part: Part, plan: Plan, options: PrintOptions, tags: Tags) -> None:
        self.part, self.path, self._folder = part, f"{name}.{options.file_format}", folder
        (folder / self.path).parent.mkdir(parents=True, exist_ok=True)
        rate, song_rate = options.rate or plan.song.sample_rate, plan.song.sample_rate
        self._meter = Meter(song_rate)
        self._resampler = (
            None if rate == song_rate else soxr.ResampleStream(song_rate, rate, 2, dtype="float32", quality="VHQ")
        )
        self._writer = SoundWriter(
            folder / self.path, sample_rate=rate, file_format=options.file_format, depth=options.depth, tags=tags
        )

    def write(self, block: Signal) -> None:
        """Append (2, frames) at the song's rate."""
        self._meter.add(block)
        self._append(block, is_last=False)

    def _append(self, block: Signal, *, is_last: bool) -> None:
        if self._resampler is not None:
            block = self._resampler.resample_chunk(np.ascontiguousarray(block.T), last=is_last).reshape(-1, 2).T
        if block.shape[1]:
            self._writer.write(block)

    def abandon(self) -> None:
        """Close what is not finished."""
        self._writer.close()

    def finish(self) -> PrintedFile:
        """Finish the file and return what is in it."""
        self._append(np.zeros((2, 0), np.float32), is_last=True)
        figures = self._meter.finish()
        self._writer.close(loudness_lufs=figures.loudness_lufs, true_peak_db=figures.true_peak_db)
        return PrintedFile(
            path=self.path,
            part=self.part.key,
            name=self.part.name,
            sha256=content_hash(self._folder / self.path),
            samples=self._writer.frames,
            lufs=figures.loudness_lufs,
            dbtp=figures.true_peak_db,
            clipped=self._writer.clipped_samples,
            is_about=self.part.is_about,
            peaks=figures.peaks,
        )


def move_into(folder: Path, files: list[PrintedFile], target: Path) -> None:
    """Move finished files from one folder into another."""
    for file in files:
        (target / file.path).parent.mkdir(parents=True, exist_ok=True)
        shutil.move(folder / file.path, target / file.path)
