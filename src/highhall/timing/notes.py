"""Note values (`1/8.`) and the times that may be written as one (`1/8T` or `375ms`)."""

import re
from bisect import bisect_left, bisect_right
from dataclasses import dataclass
from fractions import Fraction

from highhall.errors import CoreError

_NOTE = re.compile(r"(?P<count>\d{1,2})/(?P<unit>\d{1,3})(?P<mark>[.T]?)")
_MILLISECONDS = re.compile(r"(?P<number>\d+(?:\.\d*)?|\.\d+) ?ms")
_MARK_FACTOR = {"": Fraction(1), ".": Fraction(3, 2), "T": Fraction(2, 3)}

ACCEPTED_TIMES = 'a note value such as "1/8", "1/8." or "1/8T", or milliseconds such as "375ms"'


class TimeValueError(CoreError):
    """A text is neither a note value nor a number of milliseconds."""


@dataclass(frozen=True, slots=True)
class NoteValue:
    """A musical duration: `count`/`unit` of a whole note, plain, dotted or triplet."""

    count: int
    unit: int
    mark: str = ""

    def __post_init__(self) -> None:
        is_power_of_two = self.unit > 0 and self.unit & (self.unit - 1) == 0
        if not (1 <= self.count <= 64 and is_power_of_two and self.unit <= 128):
            raise TimeValueError(
                f'a note value is N/M with N from 1 to 64 and M a power of two up to 128, got "{self}"'
            )
        if self.mark not in _MARK_FACTOR:
            raise TimeValueError(f'a note value ends in "." or "T" or neither, got "{self}"')

    @classmethod
    def parse(cls, text: str) -> "NoteValue":
        """Read `N/M`, `N/M.` (dotted) or `N/MT` (triplet).

        Raises
        ------
        TimeValueError
            If the text is none of these.
        """
        match = _NOTE.fullmatch(text)
        if match is None:
            raise TimeValueError(f'expected a note value such as "1/8", "1/8." or "1/8T", got "{text}"')
        return cls(int(match["count"]), int(match["unit"]), match["mark"])

    @property
    def whole_notes(self) -> Fraction:
        """The duration as a fraction of a whole note; a dotted eighth is 3/16."""
        return Fraction(self.count, self.unit) * _MARK_FACTOR[self.mark]

    def __str__(self) -> str:
        return f"{self.count}/{self.unit}{self.mark}"


@dataclass(frozen=True, slots=True)
class Milliseconds:
    """A duration that does not follow the tempo."""

    ms: float

    @property
    def seconds(self) -> float:
        """The duration in seconds."""
        return self.ms / 1000

    def __str__(self) -> str:
        return f"{self.ms:.10g}ms"


TimeValue = NoteValue | Milliseconds

LADDER: tuple[NoteValue, ...] = tuple(
    sorted(
        (NoteValue(1, unit, mark) for unit in (1, 2, 4, 8, 16, 32, 64) for mark in ("T", "", ".")),
        key=lambda note: note.whole_notes,
    )
)
"""Note values that are set by hand, from 1/64T to 1/1., in order of length: three to the octave."""


def steps_longer(time: TimeValue, steps: int) -> TimeValue:
    """Return the time so many steps of the ladder longer (shorter if negative), no further than its ends.

    Milliseconds take three equal steps to the octave, as the ladder does on average.

    Examples
    --------
    >>> str(steps_longer(NoteValue(1, 8), 1)), str(steps_longer(Milliseconds(100), 3))
    ('1/4T', '200ms')
    """
    if isinstance(time, Milliseconds):
        return Milliseconds(round(time.ms * 2 ** (steps / 3), 3))
    lengths = [note.whole_notes for note in LADDER]
    place = bisect_right(lengths, time.whole_notes) - 1 if steps > 0 else bisect_left(lengths, time.whole_notes)
    return LADDER[min(max(place + steps, 0), len(LADDER) - 1)]


def parse_time_value(text: str) -> TimeValue:
    """Read a note value or a number of milliseconds.

    Raises
    ------
    TimeValueError
        If the text is neither.

    Examples
    --------
    >>> parse_time_value("1/8.").whole_notes
    Fraction(3, 16)
    >>> parse_time_value("375ms").seconds
    0.375
    """
    if match := _MILLISECONDS.fullmatch(text):
        return Milliseconds(float(match["number"]))
    if _NOTE.fullmatch(text):
        return NoteValue.parse(text)
    raise TimeValueError(f'expected {ACCEPTED_TIMES}, got "{text}"')
