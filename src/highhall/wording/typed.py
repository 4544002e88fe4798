"""Readers of what is typed beside the values of the table: places, lengths, tempos, meters, names."""

from highhall.errors import CoreError
from highhall.timing import Meter, Position, TimeValue, parse_time_value
from highhall.wording.figures import plain
from highhall.wording.quantity import EntryError
from highhall.wording.units import DECIBELS

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


def parse_length(text: str) -> TimeValue:
    """Read a typed length.

    Raises
    ------
    EntryError
        If it is neither a note value nor a time.
    """
    try:
        return parse_time_value(text.strip().replace(" ", ""))
    except CoreError:
        raise EntryError("Type a note value such as 1/8, or a time such as 250 ms.") from None


def parse_optional_length(text: str) -> TimeValue | None:
    """Read a typed length; None if nothing is typed. It raises as `parse_length` does."""
    return parse_length(text) if text.strip() else None
