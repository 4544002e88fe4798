"""Prints: parts of a song as files that start together, have one length and sum to the whole."""

import resource
import shutil
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import Executor, ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from highhall.effects import Signal
from highhall.errors import CoreError
from highhall.interchange.audio_files import SoundWriter
from highhall.plan import Group, Plan, Return
from highhall.plan.edits import id_from_name
from highhall.render.engine import BLOCK_FRAMES, Block, Engine
from highhall.render.parallel import for_each
from highhall.render.stems import Stems

PARTS = ("main", "dry", "returns", "groups")
_QUIET = 10 ** (-90 / 20)
_LONGEST_TAIL_S = 60.0


@dataclass(frozen=True, slots=True, kw_only=True)
class PrintOptions:
    """What to print.

    `start_sample` None is the song's start. With an `end_sample` the tracks stop there; None is the song's
    end, and stems that go on after it are not cut. `tail_s` None is until silence.
    """

    start_sample: int | None = None
    end_sample: int | None = None
    file_format: str = "wav"
    depth: str = "24"
    parts: tuple[str, ...] = PARTS
    tail_s: float | None = None
    block_frames: int = BLOCK_FRAMES
    threads: int = 2


@dataclass(frozen=True, slots=True, kw_only=True)
class PrintSummary:
    """What was printed: paths relative to the folder, and figures."""

    files: tuple[str, ...]
    seconds: float
    seconds_per_second: float
    peak_memory_bytes: int
    clipped_samples: dict[str, int] = field(default_factory=dict)


def print_paths(plan: Plan) -> dict[str, str]:
    """Return where returns and groups are printed, without a suffix: `returns/ID` as the name that it has now makes it."""
    paths: dict[str, str] = {}
    printed: tuple[tuple[str, tuple[Return | Group, ...]], ...] = (("returns", plan.returns), ("groups", plan.groups))
    for folder, parts in printed:
        taken: set[str] = set()
        for part in parts:
            name = id_from_name(part.name, taken)
            taken.add(name)
            paths[f"{folder}/{part.id}"] = f"{folder}/{name}"
    return paths


def print_plan(
    plan: Plan,
    stems: Stems,
    folder: Path,
    options: PrintOptions,
    progress: Callable[[float], None] = lambda _: None,
) -> PrintSummary:
    """Render a plan into files in `folder`; nothing appears there until all of it is written.

    The song is rendered from its start whatever `start_sample` says, so a print holds what rings on from
    before, bit for bit. `progress` is told the share done, 0 to 1; an exception from it cancels.

    Raises
    ------
    CoreError
        If the range is empty.
    """
    start = options.start_sample or 0
    end = plan.song.end_sample if options.end_sample is None else options.end_sample
    if not 0 <= start < end:
        raise CoreError("the stretch to print is empty: it must end after it starts")
    began = time.perf_counter()
    folder.mkdir(parents=True, exist_ok=True)
    with (
        tempfile.TemporaryDirectory(dir=folder, prefix=".print-") as temporary,
        ThreadPoolExecutor(options.threads) as pool,
    ):
        executor = pool if options.threads > 1 else None
        engine = Engine(plan, stems, tracks_end=options.end_sample, executor=executor)
        writers = _Writers(plan, Path(temporary), options, executor)
        try:
            _run(engine, writers, options, start, end, plan.song.sample_rate, progress)
        finally:
            writers.close()
        files = writers.move_to(folder)
    spent = time.perf_counter() - began
    seconds = writers.frames / plan.song.sample_rate
    return PrintSummary(
        files=files,
        seconds=seconds,
        seconds_per_second=seconds / spent,
        peak_memory_bytes=resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024,
        clipped_samples=writers.clipped,
    )


def _run(
    engine: Engine,
    writers: "_Writers",
    options: PrintOptions,
    start: int,
    end: int,
    rate: int,
    progress: Callable[[float], None],
) -> None:
    while engine.position < start:
        engine.advance(min(options.block_frames, start - engine.position))
        progress(0.9 * engine.position / end)
    while engine.position < end:
        writers.write(engine.advance(min(options.block_frames, end - engine.position)))
        progress(0.9 * engine.position / end)
    if options.tail_s is not None:
        last = end + round(options.tail_s * rate)
        while engine.position < last:
            writers.write(engine.advance(min(options.block_frames, last - engine.position)))
        return
    patience = round((engine.longest_gap_s + 0.25) * rate)
    last = end + round(_LONGEST_TAIL_S * rate)
    while engine.position < last and writers.quiet_frames <= patience:
        writers.hold(engine.advance(min(options.block_frames, last - engine.position)))


class _Writers:
    """The files of one print. What may be only silence is held back until something sounds again."""

    def __init__(self, plan: Plan, folder: Path, options: PrintOptions, executor: Executor | None) -> None:
        names: list[str] = [part for part in ("main", "dry") if part in options.parts]
        self._paths = print_paths(plan)
        names += [self._paths[f"returns/{r.id}"] for r in plan.returns if "returns" in options.parts]
        names += [self._paths[f"groups/{g.id}"] for g in plan.groups if "groups" in options.parts]
        self._folder, self._suffix = folder, options.file_format
        self._executor = executor
        self._held: list[dict[str, Signal]] = []
        self._writers: dict[str, SoundWriter] = {}
        for name in names:
            path = folder / f"{name}.{self._suffix}"
            path.parent.mkdir(exist_ok=True)
            self._writers[name] = SoundWriter(
                path, sample_rate=plan.song.sample_rate, file_format=options.file_format, depth=options.depth
            )
        self.frames = 0
        self.quiet_frames = 0

    def _named(self, block: Block) -> dict[str, Signal]:
        return {
            "main": block.main,
            "dry": block.dry,
            **{self._paths[f"returns/{key}"]: part for key, part in block.returns.items()},
            **{self._paths[f"groups/{key}"]: part for key, part in block.groups.items()},
        }

    def write(self, block: Block) -> None:
        """Write a block to every file."""
        self._write(self._named(block))

    def _write(self, named: dict[str, Signal]) -> None:
        for_each(self._executor, lambda name: self._writers[name].write(named[name]), list(self._writers))
        self.frames += named["main"].shape[1]

    def hold(self, block: Block) -> None:
        """Write a block up to its last sample that is not quiet in every part; keep the rest back."""
        named = self._named(block)
        loud = np.zeros(named["main"].shape[1], bool)
        for part in named.values():
            loud |= (np.abs(part) >= _QUIET).any(axis=0)
        if not loud.any():
            self._held.append(named)
            self.quiet_frames += len(loud)
            return
        for held in self._held:
            self._write(held)
        last = int(np.flatnonzero(loud)[-1]) + 1
        self._write({name: part[:, :last] for name, part in named.items()})
        self._held = [{name: part[:, last:] for name, part in named.items()}]
        self.quiet_frames = len(loud) - last

    def close(self) -> None:
        """Finish all files."""
        for writer in self._writers.values():
            writer.close()

    @property
    def clipped(self) -> dict[str, int]:
        """Clipped samples by file, files without any left out."""
        return {
            f"{name}.{self._suffix}": writer.clipped_samples
            for name, writer in self._writers.items()
            if writer.clipped_samples
        }

    def move_to(self, folder: Path) -> tuple[str, ...]:
        """Move the finished files into place and return their names."""
        names = []
        for name in self._writers:
            relative = f"{name}.{self._suffix}"
            (folder / relative).parent.mkdir(parents=True, exist_ok=True)
            shutil.move(self._folder / relative, folder / relative)
            names.append(relative)
        return tuple(names)
