"""From what users type to values, and back: `2.4 s`, `-6 dB`, `2.5k`, `1/8.`, `375 ms`, `80 %`."""

import re

from hallweb.desk.templatetags.figures import MINUS, figure
from highhall.errors import CoreError
from highhall.plan.kinds import Parameter, ParameterType
from highhall.plan.model import ParameterValue
from highhall.timing import Meter, Milliseconds, NoteValue, Position, parse_time_value

_NUMBER = re.compile(
    r"(?P<number>[+-]?(\d+([.,]\d*)?|[.,]\d+))\s*(?P<unit>k(hz)?|hz|db|ms|s|%|cents|bit)?", re.IGNORECASE
)
_PERCENT = {
    "width", "diffusion", "mod_depth", "depth", "pan", "feedback", "cross", "drive", "mix", "amount", "shift_feed",
}  # fmt: skip
_SILENCE = {"off", "-inf", "silence", "closed"}


BEATS = (("1/4", "quarters"), ("1/4.", "dotted quarters"), ("1/8", "eighths"), ("1/2", "halves"))
"""What a tempo may count, and how that is called."""


class EntryError(CoreError):
    """What was typed cannot be read; the text says what is accepted."""


def is_percent(parameter: Parameter) -> bool:
    """Whether a share is shown in per cent."""
    return parameter.name in _PERCENT


def unit_of(parameter: Parameter) -> str:
    """Return the unit printed beside a field."""
    if parameter.type is ParameterType.TIME:
        return ""
    return "%" if is_percent(parameter) else parameter.unit


def parse_entry(parameter: Parameter, text: str) -> ParameterValue:
    """Read a typed value of a parameter.

    Raises
    ------
    EntryError
        If it cannot be read, or lies outside of what is allowed.
    """
    text = text.strip().replace(MINUS, "-").lstrip("\N{MULTIPLICATION SIGN}x ")
    if parameter.may_be_null and text.lower() in _SILENCE | {""}:
        return None
    match parameter.type:
        case ParameterType.CHOICE:
            if text not in parameter.choices:
                raise EntryError(f"Choose {parameter.allowed}.")
            return text
        case ParameterType.PATH:
            return text
        case ParameterType.FLAG:
            return text in {"on", "true", "1"}
        case ParameterType.TIME:
            return _time(parameter, text)
        case ParameterType.RATE if "/" in text:
            return _note(text)
        case ParameterType.WHOLE_NUMBER:
            return _whole_number(parameter, text)
        case _:
            return _number(parameter, text)


def _time(parameter: Parameter, text: str) -> NoteValue | Milliseconds:
    if re.fullmatch(r"\d+([.,]\d*)?", text):
        text += " ms"
    elif match := re.fullmatch(r"(\d*\.?\d+)\s*s", text):
        text = f"{1000 * float(match[1]):g} ms"
    try:
        value = parse_time_value(text.replace(",", ".").replace(" ", ""))
    except CoreError:
        raise EntryError("Type a note value such as 1/8. or 1/8T, or a time such as 375 ms.") from None
    if isinstance(value, Milliseconds) and not parameter.low <= value.ms <= parameter.high:
        raise EntryError(
            f"Type a time from {parameter.low:g} to {parameter.high:g} ms, or a note value that lasts so long."
        )
    return value


def _note(text: str) -> NoteValue:
    try:
        return NoteValue.parse(text)
    except CoreError:
        raise EntryError("Type a number of Hz, or a note value such as 1/4 or 1/8T.") from None


def _whole_number(parameter: Parameter, text: str) -> int:
    value = _number(parameter, text)
    if value != int(value):
        raise EntryError(f"Type a whole number from {parameter.low:g} to {parameter.high:g}.")
    return int(value)


def _number(parameter: Parameter, text: str) -> float:
    factor = 100 if is_percent(parameter) else 1
    unit = unit_of(parameter)
    low, high = figure(parameter.low * factor, 3), figure(parameter.high * factor, 3)
    limits = f"{low.rstrip('0').rstrip('.')} to {high.rstrip('0').rstrip('.')}{' ' + unit if unit else ''}"
    match = _NUMBER.fullmatch(text)
    if match is None:
        raise EntryError(f"Type a number from {limits}.")
    value = float(match["number"].replace(",", "."))
    typed_unit = (match["unit"] or "").lower()
    if typed_unit.startswith("k"):
        value *= 1000
    if typed_unit == "ms" and parameter.unit == "s":
        value /= 1000
    value = 10 ** (value / 20) if typed_unit == "db" and factor == 100 else value / factor
    if not parameter.low <= value <= parameter.high:
        raise EntryError(f"Type a number from {limits}.")
    return value


def parse_number(text: str, sentence: str) -> float:
    """Read a typed number, with or without dB.

    Raises
    ------
    EntryError
        With the sentence, if it is none.
    """
    try:
        return float(text.strip().replace(MINUS, "-").replace(",", ".").removesuffix("dB"))
    except ValueError:
        raise EntryError(sentence) from None


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
        return float(text.strip().replace(",", "."))
    except ValueError:
        raise EntryError(f'Type the tempo as a number such as 104, not "{text}".') from None


def entry_text(parameter: Parameter, value: ParameterValue) -> str:
    """Return a value as it stands in a field, without its unit."""
    if value is None:
        return f"{MINUS}\N{INFINITY}"
    if isinstance(value, Milliseconds):
        return f"{value.ms:g} ms"
    if isinstance(value, NoteValue) or not isinstance(value, (int, float)):
        return str(value)
    if is_percent(parameter):
        return figure(value * 100, 0)
    if parameter.unit == "dB":
        return figure(value, 1)
    if parameter.unit == "Hz" and value >= 20:
        return figure(value, 0)
    return f"{value:.4g}".replace("-", MINUS)
