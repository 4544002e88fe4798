"""Readers of what is typed beside the values of the table: places, lengths, tempos, meters, names."""

import re
from fractions import Fraction

from highhall.errors import CoreError
from highhall.timing import Meter, Milliseconds, NoteValue, Position, TimeValue
from highhall.wording.figures import plain
from highhall.wording.quantity import EntryError, Form, Quantity
from highhall.wording.units import DECIBELS

_LENGTH = Quantity(form=Form.TIME, low=0, high=3_600_000)
_BEATS = re.compile(r"(\d{1,3}(?:[.,]\d{1,6})?|[.,]\d{1,6})\s*beats?", re.IGNORECASE)

BEATS = (("1/4", "quarters"), ("1/4.", "dotted quarters"), ("1/8", "eighths"), ("1/2", "halves"))
"""What a tempo may count, and how that is called."""


def parse_number(text: str, sentence: str) -> float:
    """Read a typed number, with or without dB.

    Raises
    ------
    EntryError
        With the sentence, if it is none.
    """
    number = DECIBELS.number(text)
    if number is None:
        raise EntryError(sentence)
    return number


def parse_position(text: str) -> Position:
    """Read a typed position: a bar, or a bar and a beat.

    Raises
    ------
    EntryError
        If it is neither.
    """
    text = text.strip()
    try:
        return Position.parse(text if "|" in text else f"{text}|1")
    except CoreError:
        raise EntryError(f'Type a bar such as 12, or a bar and a beat such as 12|4, not "{text}".') from None


def parse_bar(text: str) -> int:
    """Read a typed bar.

    Raises
    ------
    EntryError
        If it is none, or a place inside a bar.
    """
    position = parse_position(text)
    if position.beat != 1:
        raise EntryError(f"Type a bar such as {position.bar}, not a place inside it such as {position}.")
    return position.bar


def parse_name(text: str) -> str:
    """Read a typed name.

    Raises
    ------
    EntryError
        If it is empty or too long.
    """
    name = text.strip()
    if not 1 <= len(name) <= 120:
        raise EntryError("Type a name of 1 to 120 characters.")
    return name


def parse_meter(bar: int, text: str) -> Meter:
    """Read a typed meter that holds from a bar on.

    Raises
    ------
    EntryError
        If it is none.
    """
    beats, _, unit = text.strip().partition("/")
    try:
        return Meter(bar, int(beats), int(unit))
    except (ValueError, CoreError):
        raise EntryError(f'Type a meter such as 4/4 or 6/8, not "{text}".') from None


def parse_tempo(text: str) -> float:
    """Read a typed tempo in beats a minute; its limits are the plan's.

    Raises
    ------
    EntryError
        If it is no number.
    """
    try:
        return float(plain(text).replace(",", "."))
    except ValueError:
        raise EntryError(f'Type the tempo as a number such as 104, not "{text}".') from None


def in_beats(text: str, beat: NoteValue) -> str:
    """Return a typed time such as `0.5 beat` as the note value that it is; every other text as it is.

    Raises
    ------
    EntryError
        If no note value lasts so many beats.
    """
    match = _BEATS.fullmatch(text.strip())
    if match is None:
        return text
    length = Fraction(match[1].replace(",", ".")) * beat.whole_notes
    try:
        return str(NoteValue(length.numerator, length.denominator))
    except CoreError:
        raise EntryError(
            f"No note value lasts {match[1]} beats; type one such as 1/8, or a time such as 375 ms."
        ) from None


def parse_length(text: str) -> TimeValue:
    """Read a typed length.

    Raises
    ------
    EntryError
        If it is neither a note value nor a time.
    """
    value = _LENGTH.read(text)
    if not isinstance(value, (NoteValue, Milliseconds)):
        raise TypeError(f"{value!r} is not a length")
    return value


def parse_optional_length(text: str) -> TimeValue | None:
    """Read a typed length; None if nothing is typed. It raises as `parse_length` does."""
    return parse_length(text) if text.strip() else None
