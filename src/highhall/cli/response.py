"""`highhall response`: turn the recording of a sweep into an impulse response."""

import argparse
from pathlib import Path

from highhall.capture import capture_response
from highhall.cli.sweeps import add_sweep, chosen_sweep, write_sound


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the command reads."""
    parser.add_argument("recording", type=Path, help="from where the sweep begins; 1, 2 or 4 channels")
    parser.add_argument("--out", type=Path, required=True, metavar="FILE.wav")
    parser.add_argument("--length", type=float, default=3.0, metavar="SECONDS", help="length to keep")
    add_sweep(parser)


def run(options: argparse.Namespace) -> int:
    """Run the command; return the exit code."""
    found = capture_response(options.recording, chosen_sweep(options), options.length)
    write_sound(options.out, found.samples, found.sample_rate)
    decay = "hidden by noise" if found.decay_s is None else f"{found.decay_s:.2f} s"
    print(f"decay (T30) {decay}, noise {found.noise_db:.0f} dB under the peak".replace(" -", " "))
    return 0
