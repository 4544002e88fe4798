"""`highhall depth`: how far away every source sounds in every section."""

import argparse
import json
import math
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from highhall.cli.depths import opened_model, require_section
from highhall.depth import DepthModel, Reading
from highhall.depth.confirming import measured_model
from highhall.depth.drift import target_of
from highhall.wording import figure

_WHOLE = "whole song"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the command reads."""
    parser.add_argument("plan", type=Path)
    parser.add_argument("--section", metavar="ID", help="of one section alone")
    parser.add_argument("--measured", action="store_true", help="render every source alone instead of predicting")
    parser.add_argument("--json", action="store_true")


def run(options: argparse.Namespace) -> int:
    """Run the command; return the exit code."""
    with opened_model(options.plan) as (model, stems):
        if options.section:
            require_section(model.plan, options.section)
        if options.measured:
            model = measured_model(model, stems, [track.id for track in model.plan.tracks])
        places = [options.section] if options.section else model.places
        sources = [item.id for items in (model.plan.tracks, model.plan.groups) for item in items]
        rows = [_row(model, model.readings[source, place]) for source in sources for place in places]
    if options.json:
        print(json.dumps(rows))
    else:
        _print_table(model, rows)
    return 0


def _row(model: DepthModel, reading: Reading) -> dict[str, Any]:
    wet_db = reading.wet_db
    is_dry = wet_db == -math.inf
    is_heard = wet_db is not None and not is_dry
    target = target_of(model.plan, reading.source, reading.section)
    row = {
        "source": reading.source,
        "section": reading.section,
        "wet_db": round(wet_db, 2) if wet_db is not None and is_heard else None,
        "distance_m": round(model.plan.space.distance_m(wet_db), 3) if wet_db is not None and is_heard else None,
        "target_m": target.distance_m if target else None,
        "by_return": {key: round(level, 2) for key, level in reading.by_return_db.items()},
        "measured": reading.is_measured,
    }
    return {**row, "dry": True} if is_dry else row


def _print_table(model: DepthModel, rows: list[dict[str, Any]]) -> None:
    names: Mapping[str, str] = model.plan.names
    sections = {section.id: section.name for section in model.plan.song.sections}
    texts = [(names[row["source"]], sections.get(row["section"], _WHOLE), _words(row)) for row in rows]
    widths = [max(len(text[column]) for text in texts) for column in (0, 1)] if texts else [0, 0]
    for source, section, words in texts:
        print(f"{source:{widths[0]}}  {section:{widths[1]}}  {words}")


def _words(row: dict[str, Any]) -> str:
    if row.get("dry"):
        return "dry"
    if row["wet_db"] is None:
        return "silent"
    words = f"{figure(row['distance_m'])} m, wet {figure(row['wet_db'])} dB"
    return words if row["target_m"] is None else f"{words}, wanted at {row['target_m']:g} m"
