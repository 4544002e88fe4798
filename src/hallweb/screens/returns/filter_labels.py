"""Where the labels of filters stand in their picture: clear of the curve, of the axes' figures and of each other."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

_CHARACTER_PX = 6.9
_LEFT_PX = 38
"""Further left stand the figures of the level axis."""

_GAP_PX = 5
_ROWS_Y = (160, 145, 130, 115, 100, 85, 70, 55, 40, 25, 12)
_ASCENT_PX, _DESCENT_PX = 11, 4


@dataclass(frozen=True, slots=True)
class Label:
    """Where a label stands: its anchor's place in pixels, and which end of it that is, `start` or `end`."""

    x: float
    y: float
    anchor: str
    width: float

    @property
    def left(self) -> float:
        """Where it begins."""
        return self.x if self.anchor == "start" else self.x - self.width

    def covers(self, x: float, y: float) -> bool:
        """Whether a point lies under it."""
        return self.left - 2 <= x <= self.left + self.width + 2 and self.y - _ASCENT_PX - 2 <= y <= self.y + _DESCENT_PX

    def meets(self, other: "Label") -> bool:
        """Whether it overlaps another one."""
        is_beside = self.left + self.width + 4 < other.left or other.left + other.width + 4 < self.left
        return not is_beside and abs(self.y - other.y) < _ASCENT_PX + _DESCENT_PX


def placed_labels(
    texts: Sequence[tuple[float, str]], curve: Sequence[tuple[float, float]], width: float
) -> list[Label]:
    """Return a label for each (x, text), beside its x: the lowest place that is free, else that which covers least.

    curve: points (x, y) that no label shall cover. width: of the picture, in pixels.
    """
    placed: list[Label] = []
    for x, text in texts:
        placed.append(min(_places(x, len(text) * _CHARACTER_PX, width), key=lambda each: _covered(each, placed, curve)))
    return placed


def _places(x: float, text_px: float, width: float) -> Iterator[Label]:
    """Yield where a label may stand, the best place first."""
    for y in _ROWS_Y:
        if max(x + _GAP_PX, _LEFT_PX) + text_px <= width:
            yield Label(max(x + _GAP_PX, _LEFT_PX), y, "start", text_px)
        if x - _GAP_PX - text_px >= _LEFT_PX:
            yield Label(x - _GAP_PX, y, "end", text_px)
    yield Label(width - 4, _ROWS_Y[0], "end", text_px)


def _covered(label: Label, placed: Sequence[Label], curve: Sequence[tuple[float, float]]) -> int:
    return 100 * sum(label.meets(other) for other in placed) + sum(label.covers(x, y) for x, y in curve)
