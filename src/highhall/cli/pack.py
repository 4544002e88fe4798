"""`highhall pack`: write a whole song as one file."""

import argparse
from pathlib import Path

from highhall.cli.plans import read_plan
from highhall.interchange.audio_files import written_whole
from highhall.interchange.packs import pack_chunks
from highhall.plan.references import files_of


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the command reads."""
    parser.add_argument("plan", type=Path)
    parser.add_argument("--out", type=Path, required=True, metavar="FILE.zip")


def run(options: argparse.Namespace) -> int:
    """Run the command; return the exit code."""
    plan = read_plan(options.plan)
    with written_whole(options.out) as temporary, temporary.open("wb") as file:
        for chunk in pack_chunks(plan, options.plan.resolve().parent):
            file.write(chunk)
    print(f"{options.out}: the plan and {len(files_of(plan))} files, {options.out.stat().st_size / 1e6:.1f} MB")
    return 0
