"""`highhall unpack`: open a song that was written as one file."""

import argparse
from pathlib import Path

from highhall.interchange.packs import PLAN, unpack
from highhall.plan.references import files_of


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the command reads."""
    parser.add_argument("file", type=Path, metavar="FILE.zip")
    parser.add_argument("--out", type=Path, required=True, metavar="DIR", help="a new folder")


def run(options: argparse.Namespace) -> int:
    """Run the command; return the exit code."""
    plan = unpack(options.file, options.out)
    print(f"{options.out / PLAN}: {plan.song.title}, {len(files_of(plan))} files")
    return 0
