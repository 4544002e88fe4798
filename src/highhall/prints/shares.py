"""A print in shares, for several processes: each lane as sound on disk; of these main and its parts; each track. The bits are those of one.

The order is `render_lane` for every lane, then `print_lanes`, which says how long all parts are, then `print_track` for each track, then `finish`.
"""

import tempfile
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from highhall.effects import Chain, Response, Signal
from highhall.errors import CoreError
from highhall.plan import Plan
from highhall.plan.isolation import only_lane
from highhall.plan.order import feeding_returns
from highhall.prints.options import PrintOptions
from highhall.prints.part_file import PrintedFile, move_into
from highhall.prints.session import GRID_S, LONGEST_TAIL_S, NOTHING_EARLIER, Earlier, Session
from highhall.render.engine import DRY, Block, Engine
from highhall.render.segments import lanes_of, leads_s
from highhall.render.stems import Stems

_SPARE_S = 0.5


class RenderedTooShortError(CoreError):
    """Lanes ring on for longer than they were rendered; the print has to be made in one process."""


def lane_file(folder: Path, lane: str) -> Path:
    """Return where the sound of a lane lies in a folder: frames one after another, left and right of each sound in it, as float32."""
    return folder / f"{lane}.f32"


def render_lane(
    plan: Plan,
    stems: Stems,
    folder: Path,
    options: PrintOptions,
    lane: str,
    progress: Callable[[float], None] = lambda _: None,
) -> Path:
    """Render one lane into a folder, as long as anything of the song may ring on; return where it lies.

    Of dry its groups are written as well, before what returns add to them. progress: told the share done; an exception from it cancels.
    """
    session = Session(plan, stems, options)
    stop = session.end + _tail_frames(plan, stems.responses, options)
    alone = only_lane(plan, frozenset() if lane == DRY else feeding_returns(plan, lane))
    engine = Engine(alone, stems, tracks_end=options.end_sample, lanes={lane})
    path = lane_file(folder, lane)
    folder.mkdir(parents=True, exist_ok=True)
    with path.open("wb") as file:
        while engine.position < stop:
            limit = next(at for at in (session.start, session.end, stop) if engine.position < at)
            block = engine.advance(min(options.block_frames, limit - engine.position))
            sounds = [block.dry, *(block.groups[g.id] for g in plan.groups)] if lane == DRY else [block.returns[lane]]
            file.write(np.concatenate(sounds).T.astype("<f4", order="C").tobytes())
            progress(engine.position / stop)
    return path


def print_lanes(
    plan: Plan,
    responses: Mapping[str, Response],
    rendered: Path,
    folder: Path,
    options: PrintOptions,
    earlier: Mapping[str, Earlier] = NOTHING_EARLIER,
) -> tuple[list[PrintedFile], list[str], int]:
    """Print main and what it is made of from lanes in a folder; return the files, the tracks still to print, and the frames of all parts.

    earlier: as `print_plan` takes it; tracks that are copied are among the files.

    Raises
    ------
    RenderedTooShortError
        If the lanes were not rendered for long enough.
    """
    session = Session(plan, Stems({}, responses), options)
    session.require_as_long_as(earlier)
    with _moving_into(folder) as (temporary, printed):
        lanes = session.print_lanes(temporary, _RenderedLanes(plan, responses, rendered))
        files = {file.part: file for file in lanes}
        rest = session.copy_tracks(temporary, earlier, files)
        printed += files.values()
    return printed, [part.key for part in rest], session.frames


def print_track(
    plan: Plan,
    stems: Stems,
    folder: Path,
    options: PrintOptions,
    key: str,
    frames: int,
    progress: Callable[[float], None] = lambda _: None,
) -> PrintedFile:
    """Print one track with its own share of every space, so many frames of the song."""
    session = Session(plan, stems, options)
    session.frames = frames
    part = next(part for part in session.parts if part.key == key)
    with _moving_into(folder) as (temporary, printed):
        printed.append(session.print_track(temporary, part, progress=progress))
    return printed[0]


def finish(plan: Plan, folder: Path, options: PrintOptions, files: Sequence[PrintedFile]) -> list[PrintedFile]:
    """Write the manifest of all files of a print; return them in the order of its parts."""
    session = Session(plan, Stems({}), options)
    by_part = {file.part: file for file in files}
    ordered = [by_part[part.key] for part in session.parts]
    session.write_manifest(folder, ordered)
    return ordered


def _tail_frames(plan: Plan, responses: Mapping[str, Response], options: PrintOptions) -> int:
    """Return how long after the tracks' end anything may be heard, to -110 dB, and may have to be waited for."""
    if options.tail_s is not None:
        seconds = options.tail_s
    else:
        rings = max((sum(leads_s(plan, lane, responses).values()) for lane in lanes_of(plan)), default=0.0)
        seconds = min(rings + _gap_s(plan, responses) + GRID_S + _SPARE_S, LONGEST_TAIL_S) + GRID_S
    return round(seconds * plan.song.sample_rate) + options.block_frames


def _gap_s(plan: Plan, responses: Mapping[str, Response]) -> float:
    return sum(Chain.of(plan, return_, responses).longest_gap_s for return_ in plan.returns)


class _RenderedLanes:
    """Lanes that were rendered, as blocks of the song."""

    def __init__(self, plan: Plan, responses: Mapping[str, Response], folder: Path) -> None:
        self._plan, self.position = plan, 0
        self.longest_gap_s = _gap_s(plan, responses)
        self._lanes: dict[str, NDArray[np.float32]] = {}
        for lane in lanes_of(plan):
            sounds = 1 + len(plan.groups) if lane == DRY else 1
            self._lanes[lane] = np.memmap(lane_file(folder, lane), "<f4", mode="r").reshape(-1, 2 * sounds)

    def advance(self, frames: int) -> Block:
        """Return the next frames."""
        stop = self.position + frames
        if stop > min(len(lane) for lane in self._lanes.values()):
            raise RenderedTooShortError("the song rings on for longer than its lanes were rendered")
        cut = {lane: np.ascontiguousarray(sound[self.position : stop].T) for lane, sound in self._lanes.items()}
        self.position = stop
        dry = cut.pop(DRY)
        groups: dict[str, Signal] = {}
        for number, group in enumerate(self._plan.groups, 1):
            groups[group.id] = dry[2 * number : 2 * number + 2].copy()
            for return_ in self._plan.returns:
                if return_.output == group.id:
                    groups[group.id] += cut[return_.id]
        return Block(dry[:2], cut, groups, {})


@contextmanager
def _moving_into(folder: Path) -> Iterator[tuple[Path, list[PrintedFile]]]:
    """Give a folder to print into, and a list; the files that the list has in the end move to the print, all of them or none."""
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=folder, prefix=".print-") as temporary:
        files: list[PrintedFile] = []
        yield Path(temporary), files
        move_into(Path(temporary), files, folder)
