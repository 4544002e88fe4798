"""Printing a plan in one process, from beginning to end."""

import resource
import tempfile
import time
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from highhall.plan import Plan
from highhall.prints.options import PrintOptions
from highhall.prints.part_file import PrintedFile, move_into
from highhall.prints.session import NOTHING_EARLIER, Earlier, Session
from highhall.render.stems import Stems


@dataclass(frozen=True, slots=True, kw_only=True)
class PrintSummary:
    """What was printed, and figures. manifest: as it was written beside the files. copied: keys of parts that came from an earlier print."""

    files: tuple[PrintedFile, ...]
    seconds: float
    seconds_per_second: float
    peak_memory_bytes: int
    manifest: dict[str, Any]
    copied: tuple[str, ...] = ()

    @property
    def paths(self) -> tuple[str, ...]:
        """Where the files are in the folder."""
        return tuple(file.path for file in self.files)

    @property
    def clipped_samples(self) -> dict[str, int]:
        """Clipped samples by path, files without any left out."""
        return {file.path: file.clipped for file in self.files if file.clipped}


def print_plan(
    plan: Plan,
    stems: Stems,
    folder: Path,
    options: PrintOptions,
    progress: Callable[[float], None] = lambda _: None,
    earlier: Mapping[str, Earlier] = NOTHING_EARLIER,
) -> PrintSummary:
    """Print parts of a plan into files in `folder`; nothing appears there until all of it is written.

    The song is rendered from its start whatever `start_sample` says, so a print holds what rings on from before, bit for bit, and all
    parts are as long as main with all returns, whichever of them are printed.

    Parameters
    ----------
    progress: told the share done, 0 to 1; an exception from it cancels. earlier: tracks of an earlier print by their keys, that sound as
    they would now; where nothing rings on for longer than it did then, all is printed as long as then, and they are copied.

    Raises
    ------
    CoreError
        If the range is empty, there is no such part, or names collide.
    """
    session = Session(plan, stems, options)
    began = time.perf_counter()
    folder.mkdir(parents=True, exist_ok=True)
    with (
        tempfile.TemporaryDirectory(dir=folder, prefix=".print-") as temporary,
        ThreadPoolExecutor(options.threads) as pool,
    ):
        executor = pool if options.threads > 1 else None
        files, copied = session.run(Path(temporary), executor, progress, earlier)
        move_into(Path(temporary), files, folder)
    manifest = session.write_manifest(folder, files)
    seconds = session.frames / plan.song.sample_rate
    return PrintSummary(
        files=tuple(files),
        seconds=seconds,
        seconds_per_second=seconds / (time.perf_counter() - began),
        peak_memory_bytes=resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024,
        manifest=manifest,
        copied=copied,
    )
