"""`highhall sweep`: write a sine sweep to play in a room."""

import argparse
from pathlib import Path

from highhall.cli.sweeps import add_sweep, chosen_sweep, write_sound


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the command reads."""
    parser.add_argument("--out", type=Path, required=True, metavar="FILE.wav")
    add_sweep(parser)


def run(options: argparse.Namespace) -> int:
    """Run the command; return the exit code."""
    sweep = chosen_sweep(options)
    write_sound(options.out, sweep.samples()[None], sweep.sample_rate)
    return 0
