"""`highhall export`: write a plan's time, moves, sends and sections for other programs, and responses of its returns."""

import argparse
import tempfile
from pathlib import Path

from highhall.cli.plans import read_plan
from highhall.errors import CoreError
from highhall.exports import save_responses, write_moves_csv, write_plan_midi, write_sends_csv, write_throws_csv
from highhall.interchange.sections import write_sections_csv
from highhall.plan import Plan
from highhall.render import Stems

_TABLES = {
    "midi": (write_plan_midi, "FILE.mid", "tempo, meters, sections as markers, levels as controllers"),
    "moves": (write_moves_csv, "FILE.csv", "values of sections and points, a row a value"),
    "sends": (write_sends_csv, "FILE.csv", "every send, a row each"),
    "throws": (write_throws_csv, "FILE.csv", "every throw, a row each"),
    "sections": (lambda path, plan: write_sections_csv(path, plan.song), "FILE.csv", "sections as a table"),
}


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the command reads."""
    parser.add_argument("plan", type=Path)
    for name, (_, metavar, about) in _TABLES.items():
        parser.add_argument(f"--{name}", type=Path, metavar=metavar, help=about)
    parser.add_argument(
        "--responses", type=Path, metavar="DIR", help="an impulse response of every return that has one"
    )


def run(options: argparse.Namespace) -> int:
    """Run the command; return the exit code."""
    wanted = {name: path for name in _TABLES if (path := getattr(options, name)) is not None}
    if not wanted and options.responses is None:
        raise CoreError(
            f"nothing to write: give at least one of {', '.join(f'--{name}' for name in (*_TABLES, 'responses'))}"
        )
    plan = read_plan(options.plan)
    for name, path in wanted.items():
        _TABLES[name][0](path, plan)
        print(path)
    if options.responses is not None:
        _save_responses(plan, options.plan, options.responses)
    return 0


def _save_responses(plan: Plan, plan_path: Path, folder: Path) -> None:
    with tempfile.TemporaryDirectory(prefix="highhall-") as decoded:
        responses = Stems.opened(plan, plan_path.resolve().parent, Path(decoded)).responses
        for saved in save_responses(plan, folder, responses):
            note = f"; {saved.note}" if saved.note and saved.path else ""
            if saved.path is None:
                print(f"{saved.return_id}: no response: {saved.note}")
            else:
                print(
                    f"{saved.path}: {saved.seconds:.2f} s, {saved.channels} channels; in an impulse effect that keeps the direct sound "
                    f"{saved.level_db:+.2f} dB and {saved.pre_delay_ms:.2f} ms of pre-delay{note}"
                )
