"""Units: how a number of each is written behind its figure, and how it may be typed."""

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from highhall.timing import Milliseconds, NoteValue, Position, TimeValue
from highhall.wording.figures import MINUS, figure, plain

_LEADING = re.compile(r"(?P<unit>[a-z]+)\s*(?P<number>\d+(?:[.,]\d*)?)", re.IGNORECASE)
_TYPED = re.compile(r"(?P<number>[+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+))\s*(?P<unit>[^\d\s]*)")


def _four_digits(number: float) -> str:
    return f"{number:.4g}".replace("-", MINUS)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Unit:
    """A unit. The figure that people see is `factor` times the value that a plan holds.

    `symbol` stands behind that figure, `in_plan` behind the number in a plan. `write` makes text of the figure, `say`
    words of the value where that is more than both. `spelled` are the units that may be typed behind a number or before
    it, in lower case, each with what makes a plan's value of it. `named` are values that may be typed as a word.
    """

    symbol: str = ""
    in_plan: str = ""
    factor: float = 1.0
    write: Callable[[float], str] = _four_digits
    say: Callable[[float], str] | None = None
    spelled: Mapping[str, Callable[[float], float]] = field(default_factory=dict)
    named: Mapping[str, float] = field(default_factory=dict)

    def figure(self, value: float) -> str:
        """Return a plan's value as it is shown, without the unit."""
        return self.write(value * self.factor)

    def words(self, value: float) -> str:
        """Return a plan's value with its unit."""
        return self.say(value) if self.say else f"{self.figure(value)} {self.symbol}".strip()

    def number(self, text: str) -> float | None:
        """Return the value of a typed text such as `2.5k` or `-6 dB`; None if it is no number of this unit."""
        text = plain(text)
        if text.lower() in self.named:
            return self.named[text.lower()]
        leading = _LEADING.fullmatch(text)
        match = leading if leading and leading["unit"].lower() in self.spelled else _TYPED.fullmatch(text)
        if match is None:
            return None
        number, unit = float(match["number"].replace(",", ".")), match["unit"].lower()
        if unit in ("", self.symbol.lower()):
            return number / self.factor
        return self.spelled[unit](number) if unit in self.spelled else None


def _times(factor: float) -> Callable[[float], float]:
    return lambda number: number * factor


def _hertz(number: float) -> str:
    return figure(number, 0) if number >= 20 else _four_digits(number)


def hertz_in_words(hz: float) -> str:
    """Return a frequency in Hz, or from 1000 Hz on in kHz."""
    return f"{hz / 1000:.3g} kHz" if hz >= 1000 else f"{_hertz(hz)} Hz"


PLAIN = Unit()
DECIBELS = Unit(symbol="dB", in_plan="dB", write=figure, named={"u": 0.0, "unity": 0.0})
HERTZ = Unit(
    symbol="Hz", in_plan="Hz", write=_hertz, say=hertz_in_words, spelled={"k": _times(1000), "khz": _times(1000)}
)
SECONDS = Unit(symbol="s", in_plan="s", spelled={"ms": _times(0.001)})
MILLISECONDS = Unit(symbol="ms", in_plan="ms", spelled={"s": _times(1000)})
CENTS = Unit(symbol="cents", in_plan="cents")
SEMITONES = Unit(symbol="st", in_plan="semitones", spelled={"semitones": _times(1)})
BITS = Unit(symbol="bit", in_plan="bit")
DECIBELS_AN_OCTAVE = Unit(symbol="dB/oct", in_plan="dB/oct")
TIMES = Unit(symbol="\N{MULTIPLICATION SIGN}", spelled={"x": _times(1)})
PERCENT = Unit(
    symbol="%", factor=100, write=lambda number: figure(number, 0), spelled={"db": lambda level: 10 ** (level / 20)}
)
"""Shares and amplitude factors: a plan holds 0.5 where people see 50 %. They may be typed as a level, too."""

LEFT_RIGHT = Unit(
    symbol="%", factor=100, write=lambda number: figure(number, 0),
    spelled={"l": _times(-0.01), "r": _times(0.01)}, named={"c": 0.0, "centre": 0.0, "center": 0.0},
)  # fmt: skip
"""Places between left (-100 %) and right (100 %): L30, 30 R and C may be typed, too."""


def decibels_in_words(level_db: float) -> str:
    """Return a level with its unit."""
    return DECIBELS.words(level_db)


def seconds_in_words(seconds: float) -> str:
    """Return a duration that was worked out, in seconds with two decimals below ten."""
    return f"{figure(seconds, 2 if seconds < 10 else 1)} s"


def position_in_words(position: Position) -> str:
    """Return a bar and a beat, the beat with at most two decimals: near enough to read, the exact place stays in the plan."""
    return f"{position.bar}|{f'{float(position.beat):.2f}'.rstrip('0').rstrip('.')}"


def time_in_words(time: TimeValue) -> str:
    """Return a note value as it is, and milliseconds with their unit."""
    match time:
        case NoteValue():
            return str(time)
        case Milliseconds():
            return f"{time.ms:g} ms"
