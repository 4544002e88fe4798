"""The command line: results on stdout, the rest on stderr.

Each command is a module that is loaded only when it is called, so that `--help` and `times` answer at once.
"""

import argparse
import sys
from collections.abc import Sequence
from importlib import import_module

from highhall.errors import CoreError

_REFUSED, _FAILED = 1, 2

_COMMANDS = {
    "render": ("render", "print a plan to sound files"),
    "import": ("import_stems", "make a plan from a folder of stems"),
    "export": ("export", "write a plan for other programs: MIDI, tables, impulse responses"),
    "sheet": ("sheet", "write the recall sheet: a design that can be rebuilt by hand"),
    "pack": ("pack", "write a whole song as one file"),
    "unpack": ("unpack", "open a song that was written as one file"),
    "check": ("check", "say what is wrong with a plan"),
    "depth": ("depth", "how far away every source sounds in every section"),
    "place": ("place", "put sources where they are wanted, by their sends"),
    "deepen": ("deepen", "make a section so many times as deep"),
    "draft": ("draft", "make a whole first design of a song's depth"),
    "findings": ("findings", "what is likely to be a mistake, and what mends it"),
    "measure": ("measure", "loudness, decays, and what rings on from phrase to phrase"),
    "moves": ("moves", "the moves of a plan as a table"),
    "times": ("times", "note values in milliseconds"),
    "sweep": ("sweep", "write a sine sweep to play in a room"),
    "room": ("room", "play the sweep in a simulated room and record it: a stand-in for a real one"),
    "response": ("response", "turn the recording of a sweep into an impulse response"),
    "examples": ("examples", "copy the impulse responses that ship with the program"),
}
"""By name: the module, which has `add_arguments` and `run`, and what it does."""


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; return the exit code: 0, 1 for a plan that is refused, 2 for anything else."""
    arguments = sys.argv[1:] if arguments is None else arguments
    options = _parser(arguments[0] if arguments else "").parse_args(arguments)
    try:
        code: int = options.run(options)
    except CoreError as error:
        print(error, file=sys.stderr)
        return _code_of(error)
    except OSError as error:
        print(f"{error.filename or 'a file'}: {error.strerror or error}", file=sys.stderr)
        return _FAILED
    except KeyboardInterrupt:
        print("stopped; nothing was left behind", file=sys.stderr)
        return _FAILED
    return code


def _parser(chosen: str) -> argparse.ArgumentParser:
    """Return the parser of all commands; only the chosen one is loaded and has its arguments."""
    parser = argparse.ArgumentParser(prog="highhall", description="The depth of a song, from a plan.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    for name, (module_name, about) in _COMMANDS.items():
        command = commands.add_parser(name, help=about, description=f"{about[:1].upper()}{about[1:]}.")
        if name == chosen:
            module = import_module(f"highhall.cli.{module_name}")
            module.add_arguments(command)
            command.set_defaults(run=module.run)
    return parser


def _code_of(error: CoreError) -> int:
    from highhall.plan import PlanRefusedError  # loaded only now: most commands that fail have loaded it

    return _REFUSED if isinstance(error, PlanRefusedError) else _FAILED
