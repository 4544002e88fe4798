"""A picture in the making: paths and words on a scale, small in a row or large in the open band."""

import math
from collections.abc import Callable
from dataclasses import dataclass, field

from highhall.sheet.paths import Paths

SMALL, LARGE = (176.0, 36.0), (820.0, 190.0)


@dataclass(frozen=True, slots=True)
class Text:
    """A word in a picture: where, on which side of that, and how it looks."""

    words: str
    x: float
    y: float
    anchor: str = "middle"
    look: str = ""


@dataclass(slots=True)
class Drawing(Paths):
    """Evidence in the making: paths, and words where there is room for them."""

    texts: list[Text] = field(default_factory=list)

    @property
    def is_large(self) -> bool:
        """Whether it has room for words."""
        return self.height > SMALL[1]

    @property
    def top(self) -> float:
        """Where its scale begins."""
        return 22.0 if self.is_large else 4.0

    @property
    def floor(self) -> float:
        """Where its scale ends."""
        return self.height - (24.0 if self.is_large else 6.0)

    @property
    def left(self) -> float:
        """Where it begins."""
        return 48.0 if self.is_large else 2.0

    @property
    def right(self) -> float:
        """Where it ends."""
        return self.width - (12.0 if self.is_large else 2.0)

    def say(
        self, words: str, x: float, y: float, anchor: str = "middle", look: str = "", *, always: bool = False
    ) -> None:
        """Write words; in a small picture only those that are to stand there always."""
        if self.is_large or always:
            self.texts.append(Text(words, x, y, anchor, look))


def scale(low: float, high: float, start: float, end: float, *, is_log: bool = False) -> Callable[[float], float]:
    """Return a scale from values to pixels, held at its ends."""

    def at(value: float) -> float:
        within = min(max(value, low), high)
        part = math.log(within / low) / math.log(high / low) if is_log else (within - low) / (high - low or 1.0)
        return start + part * (end - start)

    return at
