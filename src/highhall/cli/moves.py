"""`highhall moves`: the moves of a plan as a table."""

import argparse
import dataclasses
import json
from pathlib import Path

from highhall.cli.plans import read_plan
from highhall.plan.move_table import move_rows


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the command reads."""
    parser.add_argument("plan", type=Path)
    parser.add_argument("--json", action="store_true")


def run(options: argparse.Namespace) -> int:
    """Run the command; return the exit code."""
    rows = move_rows(read_plan(options.plan))
    if options.json:
        print(json.dumps([dataclasses.asdict(row) for row in rows]))
        return 0
    if not rows:
        print("nothing moves")
    widths = [max(len(row.what) for row in rows), max(len(row.where) for row in rows)] if rows else []
    for row in rows:
        print(f"{row.what:{widths[0]}}  {row.where:{widths[1]}}  {row.value}")
    return 0
