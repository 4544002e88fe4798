"""Arguments that several commands read."""

import argparse

from highhall.errors import CoreError
from highhall.timing import Meter, NoteValue, Position


def position(text: str) -> Position:
    """Read a position."""
    try:
        return Position.parse(text)
    except CoreError as error:
        raise argparse.ArgumentTypeError(str(error)) from None


def note(text: str) -> NoteValue:
    """Read a note value."""
    try:
        return NoteValue.parse(text)
    except CoreError as error:
        raise argparse.ArgumentTypeError(str(error)) from None


def meter(text: str) -> Meter:
    """Read a meter that holds from bar 1 on."""
    beats, _, unit = text.partition("/")
    try:
        return Meter(1, int(beats), int(unit))
    except ValueError:
        raise argparse.ArgumentTypeError(f"expected a meter such as 6/8, got {text}") from None
