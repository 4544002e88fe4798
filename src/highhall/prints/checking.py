"""Reading a print back: hashes, lengths, and whether parts sum to main."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import soundfile as sf
from numpy.typing import NDArray

from highhall.errors import CoreError
from highhall.interchange.audio_files import content_hash
from highhall.prints.manifest import read_manifest
from highhall.prints.parts import CUTS

_BLOCK_FRAMES = 1 << 18
_SILENT_DB = -200.0
_LIMIT_DB = {"16": -60.0, "24": -100.0, "32f": -100.0}
"""Of what a cut may differ from main, under main's peak: rounding of every part and of main, and dither at 16 bits."""


@dataclass(frozen=True, slots=True)
class CutCheck:
    """How much a cut's parts together differ from main: the largest difference under main's peak, in dB.

    is_exact: whether they are to sum to main at all; not where a part is only about what main holds of it, or clipped.
    """

    cut: str
    difference_db: float
    is_exact: bool


def check_prints(folder: Path) -> list[CutCheck]:
    """Read a print back; return how far each cut that was printed whole is from main.

    Raises
    ------
    CoreError
        If a file is missing or has changed, has another length, or parts do not sum to main.
    """
    manifest = read_manifest(folder)
    files: Sequence[dict[str, Any]] = manifest["files"]
    for file in files:
        _check_file(folder, file, manifest["samples"])
    found = []
    by_kind = {kind: [f for f in files if f["part"].split("/")[0] == kind] for kind in _kinds(files)}
    for cut, kinds in CUTS.items():
        parts = [file for kind in kinds for file in by_kind.get(kind, ())]
        if cut in manifest["cuts"] and "main" in by_kind:
            found.append(_check_cut(folder, cut, by_kind["main"][0], parts, manifest["depth"]))
    return found


def _kinds(files: Sequence[dict[str, Any]]) -> set[str]:
    return {file["part"].split("/")[0] for file in files}


def _check_file(folder: Path, file: dict[str, Any], samples: int) -> None:
    path = folder / file["path"]
    if not path.is_file():
        raise CoreError(f"{path} is missing; print it again")
    if content_hash(path) != file["sha256"]:
        raise CoreError(f"{path} is not as it was printed: its SHA-256 differs; print it again")
    if sf.info(path).frames != samples:
        raise CoreError(f"{path} has {sf.info(path).frames} samples, the others have {samples}; print it again")


def _check_cut(folder: Path, cut: str, main: dict[str, Any], parts: Sequence[dict[str, Any]], depth: str) -> CutCheck:
    largest = difference = 0.0
    for whole, *others in zip(*(_blocks(folder / file["path"]) for file in (main, *parts)), strict=True):
        largest = max(largest, float(np.abs(whole).max(initial=0.0)))
        difference = max(difference, float(np.abs(whole - sum(others)).max(initial=0.0)))
    off_db = max(20 * math.log10(difference / largest), _SILENT_DB) if difference and largest else _SILENT_DB
    is_exact = not any(file["is_about"] or file["clipped"] for file in (main, *parts))
    if is_exact and off_db > _LIMIT_DB[depth]:
        raise CoreError(
            f"{cut} differ from main by {off_db:.1f} dB, more than {_LIMIT_DB[depth]:g} dB; print them again"
        )
    return CutCheck(cut, round(off_db, 1), is_exact)


def _blocks(path: Path) -> Iterator[NDArray[np.float64]]:
    with sf.SoundFile(path) as file:
        for block in file.blocks(_BLOCK_FRAMES, dtype="float64", always_2d=True):
            yield np.asarray(block, np.float64)
