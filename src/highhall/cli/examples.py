"""`highhall examples`: copy the impulse responses that ship with the program."""

import argparse
import shutil
from pathlib import Path

from highhall.capture import ROOMS, example_response
from highhall.interchange.audio_files import written_whole


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the command reads."""
    parser.add_argument("--out", type=Path, required=True, metavar="DIR")


def run(options: argparse.Namespace) -> int:
    """Run the command; return the exit code."""
    for name in ROOMS:
        target = options.out / f"{name}.flac"
        with written_whole(target) as temporary:
            shutil.copyfile(example_response(name), temporary)
        print(target)
    return 0
