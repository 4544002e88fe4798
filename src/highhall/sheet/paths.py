"""Lines, areas and boxes of a picture, as SVG has them."""

from collections.abc import Sequence
from dataclasses import dataclass, field


@dataclass(slots=True)
class Paths:
    """Paths by how they look, in the order in which they lie over each other, on a picture of some width and height."""

    width: float
    height: float
    paths: list[tuple[str, str]] = field(default_factory=list)

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
