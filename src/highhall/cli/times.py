"""`highhall times`: note values in milliseconds."""

import argparse
import json

from highhall.cli.arguments import note
from highhall.errors import CoreError
from highhall.timing import LADDER, NoteValue


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what the command reads."""
    parser.add_argument("--bpm", type=float, required=True)
    parser.add_argument("--beat", type=note, default=NoteValue(1, 4), metavar="NOTE")
    parser.add_argument("notes", nargs="*", type=note, metavar="NOTE")
    parser.add_argument("--json", action="store_true")


def run(options: argparse.Namespace) -> int:
    """Run the command; return the exit code."""
    if not 10 <= options.bpm <= 400:
        raise CoreError(f"bpm lies from 10 to 400, got {options.bpm:g}")
    whole_notes_per_s = options.bpm * float(options.beat.whole_notes) / 60
    notes = options.notes or reversed(LADDER)
    times = {str(note): 1000 * float(note.whole_notes) / whole_notes_per_s for note in notes}
    if options.json:
        print(json.dumps(times))
    else:
        print("\n".join(f"{note:>6}  {ms:10.2f} ms" for note, ms in times.items()))
    return 0
