"""`highhall room`: play the sweep in a simulated room and record it."""

import argparse
from pathlib import Path

import numpy as np

from highhall.capture import ROOMS
from highhall.cli.sweeps import PEAK, add_sweep, chosen_sweep, write_sound


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the command reads."""
    parser.add_argument("room", choices=tuple(ROOMS))
    parser.add_argument("--out", type=Path, required=True, metavar="FILE.wav")
    add_sweep(parser)


def run(options: argparse.Namespace) -> int:
    """Run the command; return the exit code."""
    sweep = chosen_sweep(options)
    heard = ROOMS[options.room].answer(sweep.samples(), sweep.sample_rate)
    write_sound(options.out, PEAK * heard / np.abs(heard).max(), sweep.sample_rate)
    return 0
