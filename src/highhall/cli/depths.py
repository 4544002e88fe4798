"""What the commands about depth share: the model of a plan, distances as arguments, the edited plan written."""

import argparse
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from highhall.cli.plans import read_plan
from highhall.depth import DepthModel, StemTable, sounds_of
from highhall.errors import CoreError
from highhall.interchange.audio_files import written_whole
from highhall.plan import Plan, write_plan
from highhall.plan.wishes import FARTHEST_M, NEAREST_M
from highhall.render import Stems


@contextmanager
def opened_model(path: Path) -> Iterator[tuple[DepthModel, Stems]]:
    """Give the depth model of a plan in a file, and its stems."""
    plan = read_plan(path)
    with tempfile.TemporaryDirectory(prefix="highhall-") as decoded:
        stems = Stems.opened(plan, path.resolve().parent, Path(decoded))
        yield DepthModel(plan, StemTable.of(plan, sounds_of(plan, stems)), stems.responses), stems


def ids(text: str) -> list[str]:
    """Read ids, parted by commas."""
    return [part.strip() for part in text.split(",") if part.strip()]


def metres(text: str) -> float:
    """Read a distance in metres."""
    return _within(text, NEAREST_M, FARTHEST_M, "metres")


def depth_factor(text: str) -> float:
    """Read how many times as far away."""
    return _within(text, 0.1, 10.0, "times")


def _within(text: str, low: float, high: float, unit: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = float("nan")
    if not low <= value <= high:
        raise argparse.ArgumentTypeError(f"expected {low:g} to {high:g} {unit}, got {text}")
    return value


def require_section(plan: Plan, section_id: str) -> None:
    """Refuse a section that is not there.

    Raises
    ------
    CoreError
        If it is not.
    """
    known = [section.id for section in plan.song.sections]
    if section_id not in known:
        raise CoreError(f'there is no section "{section_id}"; there are {", ".join(known) or "none"}')


def require_other(out: Path, plan: Path) -> None:
    """Refuse to write over the plan that is read.

    Raises
    ------
    CoreError
        If both are one file.
    """
    if out.resolve() == plan.resolve():
        raise CoreError(f"{out} is the plan that is read; choose another file for --out")


def write_edited(plan: Plan, out: Path) -> None:
    """Write a plan, whole or not at all."""
    with written_whole(out) as temporary:
        temporary.write_text(write_plan(plan), encoding="utf-8")
