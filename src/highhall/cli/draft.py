"""`highhall draft`: a whole first design of a song's depth."""

import argparse
import csv
import dataclasses
import json
from pathlib import Path

from highhall.cli.depths import depth_factor, opened_model, require_other, write_edited
from highhall.depth.drafting import DRY, ROWS_M, VERSES_NEARER, draft
from highhall.errors import CoreError
from highhall.plan.wishes import FARTHEST_M, NEAREST_M
from highhall.wording import figure


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the command reads."""
    parser.add_argument("plan", type=Path)
    parser.add_argument("--places", type=Path, metavar="CSV", help="source,place: front, middle, back, dry or metres")
    parser.add_argument(
        "--verses", type=depth_factor, default=VERSES_NEARER, metavar="F", help="how many times as deep verses are"
    )
    parser.add_argument("--out", type=Path, required=True, metavar="PLAN2")
    parser.add_argument("--json", action="store_true")


def run(options: argparse.Namespace) -> int:
    """Run the command; return the exit code."""
    require_other(options.out, options.plan)
    places = read_places(options.places) if options.places else None
    with opened_model(options.plan) as (model, _):
        found = draft(model, places, verses=options.verses)
    write_edited(found.plan, options.out)
    if options.json:
        placed, changes = ([dataclasses.asdict(each) for each in of] for of in (found.placed, found.changes))
        print(json.dumps({"places": found.places, "built": found.built, "placed": placed, "changes": changes}))
        return 0
    names = found.plan.names
    for key in found.built:
        print(f"built {names[key]}")
    for placed_one in found.placed:
        reason = f"; {placed_one.reason}" if placed_one.reason else ""
        print(f"{names[placed_one.source]}: {figure(placed_one.distance_m)} m{reason}")
    for key, metres in found.places.items():
        if metres is None:
            print(f"{names[key]}: {DRY}")
    return 0


def read_places(path: Path) -> dict[str, float | None]:
    """Read where sources belong from a table with the columns source and place.

    Raises
    ------
    CoreError
        If it is no such table, or a place is none.
    """
    try:
        with path.open(newline="", encoding="utf-8-sig") as file:
            rows = list(csv.DictReader(file))
    except (UnicodeDecodeError, csv.Error):
        raise CoreError(f"{path} cannot be read as a table in UTF-8") from None
    if not rows or not {"source", "place"} <= set(rows[0]):
        raise CoreError(f"{path} needs a first line with the columns source, place")
    return {
        row["source"].strip(): _metres(path, line, row["place"].strip().lower()) for line, row in enumerate(rows, 2)
    }


def _metres(path: Path, line: int, text: str) -> float | None:
    if text == DRY:
        return None
    if text in ROWS_M:
        return ROWS_M[text]
    try:
        metres = float(text)
    except ValueError:
        metres = float("nan")
    if not NEAREST_M <= metres <= FARTHEST_M:
        raise CoreError(
            f"{path}, line {line}: expected front, middle, back, dry or {NEAREST_M:g} to {FARTHEST_M:g} metres, got {text}"
        )
    return metres
