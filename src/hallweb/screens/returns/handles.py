"""What can be held in a picture: where it is, and what value it has where it is dragged to."""

import json
from dataclasses import dataclass

from django.utils.text import slugify


@dataclass(frozen=True, slots=True, kw_only=True)
class Drag:
    """Along one axis of a picture, a value from `start` at 0 px to `end` at `size` px, on a line or in the logarithm.

    `step` is what a value is rounded to, in `unit`; for logarithms the number of digits. `snaps` are (px, text) of the
    values that the hand is led to. `number`, `low` and `high` are for screen readers.
    """

    path: str
    start: float
    end: float
    size: float
    step: float
    unit: str
    number: float
    low: float
    high: float
    is_log: bool = False
    snaps: tuple[tuple[float, str], ...] = ()

    @property
    def as_json(self) -> str:
        """The drag as scripts read it."""
        return json.dumps(
            {
                "path": self.path, "start": self.start, "end": self.end, "size": self.size, "step": self.step,
                "unit": self.unit, "isLog": self.is_log, "snaps": self.snaps,
            }
        )  # fmt: skip

    @property
    def slug(self) -> str:
        """The path as ids write it."""
        return slugify(self.path)


@dataclass(frozen=True, slots=True, kw_only=True)
class Handle:
    """A handle: round for times and frequencies, square for those of the right side, diamond for amounts, grip for a start.

    `text` is its value in words, in both units. It is drawn `nudge` px beside its place where another one stands there.
    """

    name: str
    text: str
    shape: str
    x: float
    y: float
    across: Drag | None = None
    upward: Drag | None = None
    nudge: float = 0.0

    @property
    def drawn_x(self) -> float:
        """Where it is drawn."""
        return self.x + self.nudge

    @property
    def main(self) -> Drag:
        """The axis that its arrow keys step."""
        drag = self.across or self.upward
        if drag is None:
            raise ValueError(f"{self.name} cannot be dragged")
        return drag

    @property
    def tag_x(self) -> float:
        """Where its tag is written while it is held, so that it stays in the picture."""
        return min(max(self.x, self.tag_width / 2 + 4), 424 - self.tag_width / 2)

    @property
    def tag_half(self) -> float:
        """Half of its tag's width."""
        return self.tag_width / 2

    @property
    def tag_width(self) -> float:
        """How wide its tag is: as its words need."""
        return 6.6 * (len(self.name) + len(self.text) + 1) + 16


def drag_from(
    path: str, *, at_px: float, value: float, per_px: float, size: float, step: float, unit: str, low: float, high: float,
    snaps: tuple[tuple[float, str], ...] = (),
) -> Drag:  # fmt: skip
    """Return the drag on a line on which a value stands at `at_px` and changes by `per_px`."""
    start = value - at_px * per_px
    return Drag(
        path=path, start=start, end=start + size * per_px, size=size, step=step, unit=unit, number=round(value, 4),
        low=low, high=high, snaps=snaps,
    )  # fmt: skip
