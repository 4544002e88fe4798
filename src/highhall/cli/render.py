"""`highhall render`: print a plan to sound files."""

import argparse
import dataclasses
import json
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from highhall.cli.arguments import position
from highhall.cli.plans import read_plan
from highhall.errors import CoreError
from highhall.interchange.audio_files import DEPTHS
from highhall.render import PrintOptions, Stems, print_plan
from highhall.render.prints import PARTS


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the command reads."""
    parser.add_argument("plan", type=Path)
    parser.add_argument("--out", type=Path, required=True, metavar="DIR")
    parser.add_argument("--from", dest="start", type=position, metavar="BAR|BEAT")
    parser.add_argument("--to", dest="end", type=position, metavar="BAR|BEAT")
    parser.add_argument("--format", choices=("wav", "flac"), default="wav")
    parser.add_argument("--depth", choices=tuple(DEPTHS), default="24")
    parser.add_argument("--only", type=_parts, default=PARTS, metavar="PARTS", help="some of main,dry,returns,groups")
    parser.add_argument("--tail", type=_tail, default=None, metavar="auto|SECONDS")
    parser.add_argument("--threads", type=int, default=2, help=argparse.SUPPRESS)
    parser.add_argument("--json", action="store_true", help="print a summary as JSON")


def run(options: argparse.Namespace) -> int:
    """Run the command; return the exit code."""
    plan = read_plan(options.plan)
    if options.format == "flac" and options.depth == "32f":
        raise CoreError("flac holds whole numbers only: choose --depth 16 or 24, or --format wav")
    time = plan.song.time
    with tempfile.TemporaryDirectory(prefix="highhall-") as decoded:
        stems = Stems.opened(plan, options.plan.resolve().parent, Path(decoded))
        summary = print_plan(
            plan,
            stems,
            options.out,
            PrintOptions(
                start_sample=None if options.start is None else time.sample_at(options.start),
                end_sample=None if options.end is None else time.sample_at(options.end),
                file_format=options.format,
                depth=options.depth,
                parts=options.only,
                tail_s=options.tail,
                threads=options.threads,
            ),
            _progress_line(),
        )
    for name, count in summary.clipped_samples.items():
        print(f"{name}: {count} samples over full scale were clipped; lower a level to avoid it", file=sys.stderr)
    if options.json:
        print(json.dumps(dataclasses.asdict(summary)))
    else:
        print("\n".join(summary.files))
    return 0


def _parts(text: str) -> tuple[str, ...]:
    parts = tuple(text.split(","))
    if not set(parts) <= set(PARTS):
        raise argparse.ArgumentTypeError(f"expected some of {','.join(PARTS)}, got {text}")
    return parts


def _tail(text: str) -> float | None:
    if text == "auto":
        return None
    try:
        seconds = float(text)
    except ValueError:
        seconds = -1.0
    if not 0 <= seconds <= 600:
        raise argparse.ArgumentTypeError(f'expected "auto" or seconds from 0 to 600, got {text}')
    return seconds


def _progress_line() -> Callable[[float], None]:
    """Return a callback that reports each tenth on a line of its own."""
    told = 0

    def tell(share: float) -> None:
        nonlocal told
        if int(share * 10) > told:
            told = int(share * 10)
            print(f"rendering {told * 10} %", file=sys.stderr)

    return tell
