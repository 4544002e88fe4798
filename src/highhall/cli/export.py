"""`highhall export`: write a plan's time and sections for other programs."""

import argparse
from pathlib import Path

from highhall.cli.plans import read_plan
from highhall.errors import CoreError
from highhall.interchange.midi import write_midi
from highhall.interchange.sections import write_sections_csv


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the command reads."""
    parser.add_argument("plan", type=Path)
    parser.add_argument("--midi", type=Path, metavar="FILE.mid", help="tempo, meters, and sections as markers")
    parser.add_argument("--sections", type=Path, metavar="FILE.csv", help="sections as a table")


def run(options: argparse.Namespace) -> int:
    """Run the command; return the exit code."""
    if not (options.midi or options.sections):
        raise CoreError("nothing to write: give --midi FILE.mid or --sections FILE.csv or both")
    song = read_plan(options.plan).song
    if options.midi:
        write_midi(options.midi, song)
        print(options.midi)
    if options.sections:
        write_sections_csv(options.sections, song)
        print(options.sections)
    return 0
