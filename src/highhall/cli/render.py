"""`highhall render`: print parts of a plan to sound files."""

import argparse
import json
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

from highhall.cli.arguments import position
from highhall.cli.depths import ids
from highhall.cli.plans import read_plan
from highhall.interchange.sound_writer import DEPTHS
from highhall.prints import DEFAULT_KINDS, KINDS, PrintOptions, PrintSummary, check_prints, print_plan
from highhall.prints.checking import CutCheck
from highhall.prints.naming import FIELDS
from highhall.prints.options import FORMATS, RATES
from highhall.render import Stems


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the command reads."""
    parser.add_argument("plan", type=Path)
    parser.add_argument("--out", type=Path, required=True, metavar="DIR")
    parser.add_argument("--from", dest="start", type=position, metavar="BAR|BEAT")
    parser.add_argument("--to", dest="end", type=position, metavar="BAR|BEAT")
    parser.add_argument("--format", choices=FORMATS, default="wav")
    parser.add_argument("--depth", choices=tuple(DEPTHS), default="24")
    parser.add_argument("--rate", type=int, choices=RATES, help="of the files, in Hz; else the song's")
    parser.add_argument("--only", type=_kinds, metavar="KINDS", help=f"some of {','.join(KINDS)}")
    parser.add_argument("--parts", type=ids, default=(), metavar="ID,...", help="single returns, groups or tracks")
    parser.add_argument("--tail", type=_tail, default=None, metavar="auto|SECONDS")
    parser.add_argument(
        "--name", metavar="PATTERN", help=f"of the files, with {', '.join(f'{{{name}}}' for name in FIELDS)}"
    )
    parser.add_argument(
        "--check", action="store_true", help="read the files back: hashes, and whether parts sum to main"
    )
    parser.add_argument("--threads", type=int, default=2, help=argparse.SUPPRESS)
    parser.add_argument("--json", action="store_true", help="print a summary as JSON")


def run(options: argparse.Namespace) -> int:
    """Run the command; return the exit code."""
    plan = read_plan(options.plan)
    time = plan.song.time
    chosen = PrintOptions(
        start_sample=None if options.start is None else time.sample_at(options.start),
        end_sample=None if options.end is None else time.sample_at(options.end),
        file_format=options.format,
        depth=options.depth,
        kinds=(() if options.parts else DEFAULT_KINDS) if options.only is None else options.only,
        ids=tuple(options.parts),
        tail_s=options.tail,
        rate=options.rate,
        pattern=options.name,
        threads=options.threads,
    )
    with tempfile.TemporaryDirectory(prefix="highhall-") as decoded:
        stems = Stems.opened(plan, options.plan.resolve().parent, Path(decoded))
        summary = print_plan(plan, stems, options.out, chosen, _progress_line())
    checks = check_prints(options.out) if options.check else []
    for name, count in summary.clipped_samples.items():
        print(f"{name}: {count} samples over full scale were clipped; lower a level to avoid it", file=sys.stderr)
    if options.json:
        print(json.dumps(_document(summary, checks if options.check else None)))
    else:
        _print(summary, checks)
    return 0


def _document(summary: PrintSummary, checks: list[CutCheck] | None) -> dict[str, Any]:
    found = {
        "files": [*summary.paths],
        "seconds": summary.seconds,
        "seconds_per_second": summary.seconds_per_second,
        "peak_memory_bytes": summary.peak_memory_bytes,
        "clipped_samples": summary.clipped_samples,
        "about": [file.path for file in summary.files if file.is_about],
        "manifest": summary.manifest,
    }
    if checks is not None:
        found["sums"] = [{"cut": c.cut, "difference_db": c.difference_db, "is_exact": c.is_exact} for c in checks]
    return found


def _print(summary: PrintSummary, checks: list[CutCheck]) -> None:
    for file in summary.files:
        loudness = "silent" if file.lufs is None else f"{file.lufs:.1f} LUFS"
        about = "   about: its way is not linear" if file.is_about else ""
        print(f"{file.path}   {loudness}, {file.dbtp:.1f} dBTP{about}")
    for check in checks:
        about = "" if check.is_exact else ", about: not all of it is linear, or something clipped"
        print(f"{check.cut} sum to main within {check.difference_db:.1f} dB{about}")


def _kinds(text: str) -> tuple[str, ...]:
    kinds = tuple(text.split(","))
    if not set(kinds) <= set(KINDS):
        raise argparse.ArgumentTypeError(f"expected some of {','.join(KINDS)}, got {text}")
    return kinds


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
