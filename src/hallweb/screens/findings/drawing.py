"""A picture in the making: paths and words on a scale, small in a row or large in the open band."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

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
class Drawing:
    """Paths by how they look, in the order in which they lie over each other, and words."""

    width: float
    height: float
    paths: list[tuple[str, str]] = field(default_factory=list)
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

    def line(self, look: str, *points: tuple[float, float]) -> None:
        """Draw a line through points."""
        self.paths.append((look, "M" + "L".join(f"{x:.1f} {y:.1f}" for x, y in points)))

    def area(self, look: str, points: Sequence[tuple[float, float]], floor: float) -> None:
        """Draw what lies between points and a height."""
        if points:
            self.line(look, (points[0][0], floor), *points, (points[-1][0], floor))

    def box(self, look: str, left: float, top: float, right: float, bottom: float) -> None:
        """Draw a rectangle."""
        self.paths.append((look, f"M{left:.1f} {top:.1f}H{right:.1f}V{bottom:.1f}H{left:.1f}Z"))

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
