"""Positions in a song as musicians name them: a bar and a beat, both counted from 1."""

import re
from dataclasses import dataclass
from fractions import Fraction

from highhall.errors import CoreError

_POSITION = re.compile(
    r"(?P<bar>\d{1,6})\|(?P<beat>\d{1,3})(?:(?P<decimals>\.\d{1,12})|\+(?P<part>\d{1,6}/[1-9]\d{0,5}))?"
)


class PositionError(CoreError):
    """A text is not a position, or the position does not exist in the song's meters."""


@dataclass(frozen=True, slots=True, order=True)
class Position:
    """`bar` from 1; `beat` from 1 in units of the meter that holds there, below beats + 1."""

    bar: int
    beat: Fraction = Fraction(1)

    def __post_init__(self) -> None:
        if self.bar < 1 or self.beat < 1:
            raise PositionError(f'bars and beats count from 1, got "{self}"')

    @classmethod
    def parse(cls, text: str) -> "Position":
        """Read `BAR|BEAT`, where BEAT may have decimals or a fraction.

        Raises
        ------
        PositionError
            If the text is not of that form.

        Examples
        --------
        >>> Position.parse("12|4+1/3")
        Position(bar=12, beat=Fraction(13, 3))
        """
        match = _POSITION.fullmatch(text)
        if match is None:
            raise PositionError(f'expected a position "BAR|BEAT" such as "12|4.5" or "12|4+1/3", got "{text}"')
        beat = Fraction(match["beat"]) + Fraction(match["decimals"] or 0) + Fraction(match["part"] or 0)
        return cls(int(match["bar"]), beat)

    @property
    def next_bar_line(self) -> "Position":
        """The first bar line from here on that has a bar before it."""
        return self if self.beat == 1 and self.bar > 1 else Position(self.bar + 1)

    def __str__(self) -> str:
        whole, part = divmod(self.beat, 1)
        if part == 0:
            return f"{self.bar}|{whole}"
        decimal = f"{float(self.beat):.12f}".rstrip("0")
        if Fraction(decimal) == self.beat:
            return f"{self.bar}|{decimal}"
        return f"{self.bar}|{whole}+{part}"
