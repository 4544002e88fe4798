"""Quantities: what a value may be, how it is shown to people, and how it is read from what they type."""

import re
from dataclasses import dataclass
from enum import StrEnum
from typing import Protocol

from highhall.errors import CoreError
from highhall.timing import Milliseconds, NoteValue, TimeValue, parse_time_value
from highhall.wording.figures import INFINITY, MINUS, plain
from highhall.wording.units import DECIBELS, PLAIN, Unit, time_in_words


class EntryError(CoreError):
    """What was typed cannot be read; the text says what is accepted."""


class Form(StrEnum):
    """What kind of value a quantity has."""

    NUMBER = "number"
    WHOLE_NUMBER = "whole number"
    CHOICE = "choice"
    FLAG = "flag"
    TIME = "time value"
    RATE = "rate in Hz or note value"
    PATH = "path"
    ID = "id"
    LIST = "list"


class HasWords(Protocol):
    """Something that can say in words what it is."""

    @property
    def words(self) -> str:
        """What it is, in words."""


Value = float | str | bool | None | TimeValue | tuple[HasWords, ...]

_NO_VALUE = {"", "off", "none", "silence", "closed", "-inf", f"-{INFINITY}"}
_BELOW_ONE = re.compile(r"[+-]?0?[.,]\d+")
_NOTE = re.compile(r"(\d{1,2}/\d{1,3})\s*([a-z.]*)", re.IGNORECASE)
_NOTE_MARKS = {"": "", ".": ".", "d": ".", "dotted": ".", "t": "T", "triplet": "T"}
_YES, _NO = {"on", "true", "yes", "1"}, {"off", "false", "no", "0"}


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Quantity:
    """`low` and `high` are in the plan's unit, for times in milliseconds; null stands for silence or for "off"."""

    form: Form = Form.NUMBER
    unit: Unit = PLAIN
    low: float = 0.0
    high: float = 1.0
    choices: tuple[str | int, ...] = ()
    may_be_null: bool = False

    @property
    def symbol(self) -> str:
        """The unit printed beside a field; a time says its own."""
        return "" if self.form is Form.TIME else self.unit.symbol

    @property
    def is_chosen(self) -> bool:
        """Whether people choose it from a list instead of typing it."""
        return bool(self.choices) or self.form in (Form.CHOICE, Form.FLAG, Form.PATH, Form.ID)

    @property
    def accepted(self) -> str:
        """What may be typed, in words that end a sentence."""
        match self.form:
            case Form.TIME:
                words = f"a note value such as 1/8., or a time from {self._limits}"
            case Form.RATE:
                words = f"a note value such as 1/4, or a number from {self._limits}"
            case Form.WHOLE_NUMBER:
                words = f"a whole number from {self._limits}"
            case Form.NUMBER:
                words = f"a number from {self._limits}"
            case _:
                words = f"one of {', '.join(map(str, self.choices))}" if self.choices else "one of the list"
        return words + (" or off" if self.may_be_null else "")

    def figure(self, value: Value) -> str:
        """Return a value as it stands in a field, without its unit."""
        match value:
            case None:
                return f"{MINUS}{INFINITY}" if self.unit is DECIBELS else "off"
            case bool():
                return "on" if value else "off"
            case int() | float():
                return self.unit.figure(value)
            case str():
                return value
            case tuple():
                return self.words(value)
        return time_in_words(value)

    def words(self, value: Value) -> str:
        """Return a value in words, with its unit."""
        match value:
            case None:
                return "silence" if self.unit is DECIBELS else "off"
            case bool():
                return self.figure(value)
            case int() | float():
                return self.unit.words(value)
            case str():
                return value.replace("_", " ")
            case tuple():
                return ", ".join(part.words for part in value) or "none"
        return time_in_words(value)

    def read(self, text: str) -> Value:
        """Return the value of a typed text.

        Raises
        ------
        EntryError
            If it cannot be read, or lies outside of what is allowed.
        """
        text = plain(text).lstrip("\N{MULTIPLICATION SIGN}x ")
        if self.may_be_null and text.lower() in _NO_VALUE:
            return None
        match self.form:
            case Form.CHOICE:
                return self._read_choice(text)
            case Form.FLAG:
                return self._read_flag(text)
            case Form.PATH | Form.ID:
                return text
            case Form.TIME:
                return self._read_time(text)
            case Form.RATE if "/" in text:
                return self._read_note(text)
            case Form.WHOLE_NUMBER:
                return self._read_whole_number(text)
            case Form.LIST:
                raise EntryError("A list of filters is not typed; change its filters one by one.")
        return self._read_number(text)

    def _read_choice(self, text: str) -> str:
        if text not in self.choices:
            raise EntryError(f"Choose one of {', '.join(map(str, self.choices))}.")
        return text

    def _read_flag(self, text: str) -> bool:
        if text.lower() not in _YES | _NO:
            raise EntryError("Type on or off.")
        return text.lower() in _YES

    def _read_time(self, text: str) -> TimeValue:
        if (match := _NOTE.fullmatch(text)) and match[2].lower() in _NOTE_MARKS:
            text = match[1] + _NOTE_MARKS[match[2].lower()]
        elif re.fullmatch(r"\d+([.,]\d*)?", text):
            text += " ms"
        elif match := re.fullmatch(r"(\d*\.?\d+)\s*s", text):
            text = f"{1000 * float(match[1]):g} ms"
        try:
            value = parse_time_value(text.replace(",", ".").replace(" ", ""))
        except CoreError:
            raise EntryError("Type a note value such as 1/8. or 1/8T, or a time such as 375 ms.") from None
        if isinstance(value, Milliseconds) and not self.low <= value.ms <= self.high:
            raise EntryError(f"Type a time from {self.low:g} to {self.high:g} ms, or a note value that lasts so long.")
        return value

    def _read_note(self, text: str) -> NoteValue:
        match = _NOTE.fullmatch(text)
        mark = _NOTE_MARKS.get(match[2].lower()) if match else None
        try:
            return NoteValue.parse(text if match is None or mark is None else match[1] + mark)
        except CoreError:
            raise EntryError("Type a number of Hz, or a note value such as 1/4 or 1/8T.") from None

    def _read_whole_number(self, text: str) -> int:
        if self.choices:
            found = next((choice for choice in self.choices if self.unit.number(text) == choice), None)
            if not isinstance(found, int):
                raise EntryError(f"Choose one of {', '.join(map(str, self.choices))}.")
            return found
        value = self._read_number(text)
        if value != int(value):
            raise EntryError(f"Type {self.accepted}.")
        return int(value)

    def _read_number(self, text: str) -> float:
        if self.unit.factor == 100 and _BELOW_ONE.fullmatch(text):
            share = float(text.replace(",", "."))
            raise EntryError(f"Is {text} meant as {share:g} % or as {100 * share:g} %? Type it with its sign.")
        value = self.unit.number(text)
        if value is None or not self.low <= value <= self.high:
            raise EntryError(f"Type a number from {self._limits}.")
        return value

    @property
    def _limits(self) -> str:
        low, high = (f"{limit * self.unit.factor:.10g}".replace("-", MINUS) for limit in (self.low, self.high))
        return f"{low} to {high} {self.unit.symbol}".strip()
