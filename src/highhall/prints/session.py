"""One print at work: main and all that it is made of in one pass, then each track with its own share of every space."""

import shutil
import threading
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import Executor, Future, wait
from dataclasses import dataclass, replace
from pathlib import Path
from types import MappingProxyType
from typing import Any, Protocol

import numpy as np

from highhall.effects import Signal
from highhall.errors import CoreError
from highhall.plan import Plan
from highhall.plan.isolation import returns_of, share_of
from highhall.prints.labels import sections_at
from highhall.prints.manifest import manifest_of, write_manifest
from highhall.prints.naming import file_names
from highhall.prints.options import PrintOptions
from highhall.prints.part_file import PartFile, PrintedFile, tags_of
from highhall.prints.parts import CUTS, Part, parts_of
from highhall.render.engine import Block, Engine
from highhall.render.parallel import for_each
from highhall.render.stems import Stems

_QUIET = 10 ** (-90 / 20)
LONGEST_TAIL_S = 60.0
_REPORT_S = 0.1
GRID_S = 0.5
"""A print that ends by itself lasts whole half seconds, so that small edits leave it as long as it was."""


@dataclass(frozen=True, slots=True)
class Earlier:
    """A file of an earlier print: where it lies, and what is in it."""

    path: Path
    file: PrintedFile


NOTHING_EARLIER: Mapping[str, Earlier] = MappingProxyType({})


class Blocks(Protocol):
    """What gives the song block by block: an engine, or what engines have rendered."""

    position: int

    @property
    def longest_gap_s(self) -> float:
        """The longest silence that can lie inside what rings on, in seconds."""

    def advance(self, frames: int) -> Block:
        """Return the next frames."""


class Session:
    """One print: its parts, names and range, and how much of it is done."""

    def __init__(self, plan: Plan, stems: Stems, options: PrintOptions) -> None:
        self._plan, self._stems, self._options = plan, stems, options
        song = plan.song
        self.start = options.start_sample or 0
        self.end = song.end_sample if options.end_sample is None else options.end_sample
        if not 0 <= self.start < self.end:
            raise CoreError("the stretch to print is empty: it must end after it starts")
        self.rate = options.rate or song.sample_rate
        self.parts = parts_of(plan, options.kinds, options.ids)
        if not self.parts:
            raise CoreError("nothing to print: choose at least one part that the song has")
        section = next(sections_at(plan, self.start, self.end), "")
        bpm = song.tempo_at(song.time.position_at_sample(self.start)).bpm
        self._names = file_names(plan, self.parts, options.pattern, bpm=bpm, section=section)
        self.frames = self._least_frames = 0
        self._done = 0.0
        self._lock, self._is_stopped = threading.Lock(), threading.Event()

    def _worked(self, share: float) -> None:
        """Count some of the work, 1 being main and what it is made of."""
        with self._lock:
            self._done += share

    def _require_going_on(self) -> None:
        if self._is_stopped.is_set():
            raise CoreError("the print was stopped")

    def write_manifest(self, folder: Path, files: Sequence[PrintedFile]) -> dict[str, Any]:
        """Write the manifest of all files, in the order of the parts, beside them; return it."""
        manifest = manifest_of(
            self._plan, files, start=self.start, rate=self.rate, depth=self._options.depth, cuts=self._whole_cuts()
        )
        write_manifest(folder, manifest)
        return manifest

    def _whole_cuts(self) -> list[str]:
        """Return the ways to cut the song of which all parts are printed."""
        there = {part.key for part in self.parts}
        needed = {cut: {part.key for part in parts_of(self._plan, kinds)} for cut, kinds in CUTS.items()}
        return [cut for cut, keys in needed.items() if keys and keys <= there]

    def run(
        self,
        folder: Path,
        executor: Executor | None,
        progress: Callable[[float], None],
        earlier: Mapping[str, Earlier],
    ) -> tuple[list[PrintedFile], tuple[str, ...]]:
        """Print everything into a folder; return the files in the order of the parts, and which were copied."""
        tracks = [part for part in self.parts if part.kind == "tracks"]
        weights = {part.key: self._weight(part) for part in tracks if part.key not in earlier}
        total = 1.0 + sum(weights.values())

        def report() -> None:
            progress(min(self._done / total, 1.0))

        self.require_as_long_as(earlier)
        engine = Engine(self._plan, self._stems, tracks_end=self._options.end_sample, executor=executor)
        files = {file.part: file for file in self.print_lanes(folder, engine, executor, report)}
        rest = self.copy_tracks(folder, earlier, files)
        files |= {file.part: file for file in self._print_tracks(folder, rest, executor, report)}
        return [files[part.key] for part in self.parts], tuple(part.key for part in tracks if part not in rest)

    def require_as_long_as(self, earlier: Mapping[str, Earlier]) -> None:
        """Let the print be at least as long as an earlier one was, so that its tracks can be copied."""
        longest = max((each.file.samples for each in earlier.values()), default=0)
        self._least_frames = round(longest * self._plan.song.sample_rate / self.rate)

    def copy_tracks(self, folder: Path, earlier: Mapping[str, Earlier], files: dict[str, PrintedFile]) -> list[Part]:
        """Copy the tracks that an earlier print has, and add them to `files`; return the tracks that are still to be printed."""
        tracks = [part for part in self.parts if part.kind == "tracks"]
        return [part for part in tracks if not self._is_copied(part, folder, earlier, files)]

    def _weight(self, part: Part) -> float:
        """Return how much of a song's work a track is."""
        return (1 + len(returns_of(self._plan, part.id))) / (1 + len(self._plan.returns) + len(self._plan.tracks) / 4)

    def _file(self, folder: Path, part: Part) -> PartFile:
        end = self.end
        tags = tags_of(self._plan, part, self._options, self.start, end)
        return PartFile(folder, self._names[part.key], part, self._plan, self._options, tags)

    def _is_copied(
        self, part: Part, folder: Path, earlier: Mapping[str, Earlier], files: dict[str, PrintedFile]
    ) -> bool:
        known = earlier.get(part.key)
        if known is None or known.file.samples != self._samples(files):
            return False
        path = f"{self._names[part.key]}.{self._options.file_format}"
        (folder / path).parent.mkdir(parents=True, exist_ok=True)
        shutil.copyfile(known.path, folder / path)
        files[part.key] = replace(known.file, path=path, name=part.name)
        return True

    def _samples(self, files: dict[str, PrintedFile]) -> int:
        if files:
            return next(iter(files.values())).samples
        return round(self.frames * self.rate / self._plan.song.sample_rate)

    def print_lanes(
        self, folder: Path, engine: Blocks, executor: Executor | None = None, report: Callable[[], None] = lambda: None
    ) -> list[PrintedFile]:
        """Print main and what it is made of, as `engine` gives it, and find how long all parts are."""
        options, end = self._options, self.end
        writing = _Lanes([self._file(folder, part) for part in self.parts if part.kind != "tracks"], executor)
        try:
            while engine.position < self.start:
                frames = min(options.block_frames, self.start - engine.position)
                engine.advance(frames)
                self._worked(0.9 * frames / end)
                report()
            while engine.position < end:
                frames = min(options.block_frames, end - engine.position)
                writing.write(engine.advance(frames))
                self._worked(0.9 * frames / end)
                report()
            self._ring_out(engine, writing)
            files = writing.finish()
        except BaseException:
            writing.abandon()
            raise
        self.frames = writing.frames
        self._worked(0.1)
        report()
        return files

    def _ring_out(self, engine: Blocks, writing: "_Lanes") -> None:
        options, rate = self._options, self._plan.song.sample_rate
        if options.tail_s is not None:
            last = self.end + round(options.tail_s * rate)
            while engine.position < last:
                writing.write(engine.advance(min(options.block_frames, last - engine.position)))
            return
        least = min(self.start + self._least_frames, self.end + round(LONGEST_TAIL_S * rate))
        while engine.position < least:
            writing.write(engine.advance(min(options.block_frames, least - engine.position)))
        patience = round((engine.longest_gap_s + 0.25) * rate)
        last = self.end + round(LONGEST_TAIL_S * rate)
        while engine.position < last and writing.quiet_frames <= patience:
            writing.hold(engine.advance(min(options.block_frames, last - engine.position)))
        writing.fill(engine, -writing.frames % round(GRID_S * rate))

    def _print_tracks(
        self, folder: Path, parts: list[Part], executor: Executor | None, report: Callable[[], None]
    ) -> list[PrintedFile]:
        """Print tracks side by side; progress is told from this thread alone, which also hears of a cancel."""
        if executor is None:
            return [self.print_track(folder, part, report) for part in parts]
        waiting = [executor.submit(self.print_track, folder, part) for part in parts]
        try:
            while wait(waiting, _REPORT_S).not_done:
                report()
            report()
            return [each.result() for each in waiting]
        except BaseException:
            self._is_stopped.set()
            wait(waiting)
            raise

    def print_track(
        self,
        folder: Path,
        part: Part,
        report: Callable[[], None] = lambda: None,
        progress: Callable[[float], None] = lambda _: None,
    ) -> PrintedFile:
        """Print one track with its own share of every space, as long as all parts are."""
        options, last = self._options, self.start + self.frames
        engine = Engine(share_of(self._plan, part.id), self._stems, tracks_end=options.end_sample)
        file = self._file(folder, part)
        try:
            while engine.position < last:
                goal = self.start if engine.position < self.start else last
                frames = min(options.block_frames, goal - engine.position)
                block = engine.advance(frames)
                if goal == last:
                    file.write(block.main)
                self._worked(self._weight(part) * frames / last)
                report()
                progress(engine.position / last)
                self._require_going_on()
            return file.finish()
        except BaseException:
            file.abandon()
            raise


class _Lanes:
    """The files of main and its parts, written while the next block is rendered.

    What may be only silence is held back until something sounds again.
    """

    def __init__(self, files: list[PartFile], executor: Executor | None) -> None:
        self._files, self._executor = files, executor
        self._at_work: list[Future[None]] = []
        self._held: list[Block] = []
        self.frames = 0
        self.quiet_frames = 0

    def write(self, block: Block) -> None:
        """Write a block to every file."""
        self._catch_up()
        for file in self._files:
            if self._executor is None:
                _write_part(file, block)
            else:
                self._at_work.append(self._executor.submit(_write_part, file, block))
        self.frames += block.frames

    def _catch_up(self) -> None:
        wait(self._at_work)
        for each in self._at_work:
            each.result()
        self._at_work = []

    def finish(self) -> list[PrintedFile]:
        """Finish all files; return what is in them."""
        self._catch_up()
        return for_each(self._executor, PartFile.finish, self._files)

    def abandon(self) -> None:
        """Close all files as they are."""
        wait(self._at_work)
        for file in self._files:
            file.abandon()

    def hold(self, block: Block) -> None:
        """Write a block up to its last sample that is not quiet in every part; keep the rest back."""
        loud = np.zeros(block.frames, bool)
        for sound in (block.main, block.dry, block.ungrouped, *block.returns.values(), *block.groups.values()):
            loud |= (np.abs(sound) >= _QUIET).any(axis=0)
        if not loud.any():
            self._held.append(block)
            self.quiet_frames += block.frames
            return
        for held in self._held:
            self.write(held)
        last = int(np.flatnonzero(loud)[-1]) + 1
        self.write(block.cut(0, last))
        self._held = [block.cut(last, block.frames)]
        self.quiet_frames = block.frames - last

    def fill(self, engine: Blocks, frames: int) -> None:
        """Write so many more frames of what was held back, or comes after it."""
        missing = frames - sum(held.frames for held in self._held)
        if missing > 0:
            self._held.append(engine.advance(missing))
        for held in self._held:
            taken = min(frames, held.frames)
            if taken:
                self.write(held.cut(0, taken))
            frames -= taken


def _write_part(file: PartFile, block: Block) -> None:
    file.write(_sound_of(file.part, block))


def _sound_of(part: Part, block: Block) -> Signal:
    match part.kind:
        case "main":
            return block.main
        case "ungrouped":
            return block.ungrouped
        case "returns":
            return block.returns[part.id]
        case "groups":
            return block.groups[part.id]
        case _:
            return block.dry
