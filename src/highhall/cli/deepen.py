"""`highhall deepen`: a section with all its sources so many times as far away."""

import argparse
import json
from pathlib import Path

from highhall.cli.depths import depth_factor, opened_model, require_other, require_section, write_edited
from highhall.depth.deepening import deepen
from highhall.wording import figure


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the command reads."""
    parser.add_argument("plan", type=Path)
    parser.add_argument("--section", required=True, metavar="ID")
    parser.add_argument("--factor", type=depth_factor, required=True, metavar="F", help="2 is twice as far away")
    parser.add_argument("--out", type=Path, required=True, metavar="PLAN2")
    parser.add_argument("--json", action="store_true")


def run(options: argparse.Namespace) -> int:
    """Run the command; return the exit code."""
    require_other(options.out, options.plan)
    with opened_model(options.plan) as (model, _):
        require_section(model.plan, options.section)
        found = deepen(model, options.section, options.factor)
    write_edited(found.plan, options.out)
    if options.json:
        distances = {
            key: {"before_m": round(was, 3), "after_m": round(now, 3)} for key, (was, now) in found.distances_m.items()
        }
        print(json.dumps({"section": options.section, "by_db": found.by_db, "sources": distances}))
        return 0
    print(f"{model.plan.song.section(options.section).name}: its spaces by {found.by_db:+.1f} dB")
    for key, (was, now) in found.distances_m.items():
        print(f"  {model.plan.names[key]}: {figure(was)} m to {figure(now)} m")
    return 0
