"""The manifest of a print, `prints.json`: what its files are, and by which they can be checked."""

import hashlib
import json
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

from highhall.errors import CoreError
from highhall.plan import Plan, write_plan
from highhall.prints.part_file import PrintedFile

NAME = "prints.json"
FORMAT, VERSION = "high-hall-prints", 1


def plan_hash(plan: Plan) -> str:
    """Return the SHA-256 of a plan as it is written, as hex."""
    return hashlib.sha256(write_plan(plan).encode()).hexdigest()


def manifest_of(
    plan: Plan, files: Sequence[PrintedFile], *, start: int, rate: int, depth: str, cuts: Sequence[str]
) -> dict[str, Any]:
    """Return the manifest of a print, ready for JSON. start: in samples of the song. cuts: those that were printed whole."""
    return {
        "format": FORMAT,
        "version": VERSION,
        "title": plan.song.title,
        "plan_sha256": plan_hash(plan),
        "starts_at": str(plan.song.time.position_at_sample(start)),
        "sample_rate": rate,
        "depth": depth,
        "samples": files[0].samples if files else 0,
        "cuts": [*cuts],
        "files": [row(file) for file in files],
    }


def row(file: PrintedFile) -> dict[str, Any]:
    """Return a file as its row in the manifest."""
    values = asdict(file)
    del values["peaks"]
    return values


def write_manifest(folder: Path, manifest: dict[str, Any]) -> None:
    """Write a manifest beside its files."""
    (folder / NAME).write_text(json.dumps(manifest, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")


def read_manifest(folder: Path) -> dict[str, Any]:
    """Return the manifest of the print in a folder.

    Raises
    ------
    CoreError
        If there is none, or it is none of a print.
    """
    path = folder / NAME
    try:
        manifest = json.loads(path.read_text(encoding="utf-8"))
    except FileNotFoundError:
        raise CoreError(f"{folder} holds no print: {NAME} is missing") from None
    except ValueError:
        raise CoreError(f"{path} is no manifest of a print: it is not JSON") from None
    if not isinstance(manifest, dict) or manifest.get("format") != FORMAT:
        raise CoreError(f'{path} is no manifest of a print: its format is not "{FORMAT}"')
    return manifest
