"""Where metres and pans lie in the pictures of the hall, and the rows that distances fall into."""

import math
from dataclasses import dataclass

MIDDLE_FROM_M, BACK_FROM_M = 3.0, 6.0
FARTHEST_DRAWN_M = 16.0


@dataclass(frozen=True, slots=True)
class DepthScale:
    """A logarithmic scale of metres upwards: `one_m_y` is where 1 m lies, an octave is `octave_px` high.

    nearest_m: what is nearer is drawn there.
    """

    one_m_y: float
    octave_px: float
    nearest_m: float

    def y(self, distance_m: float) -> float:
        """Return where a distance lies, at an end of the scale if it is beyond it."""
        within = min(max(distance_m, self.nearest_m), FARTHEST_DRAWN_M)
        return self.one_m_y - self.octave_px * math.log2(within)


PLAN = DepthScale(332.0, 76.0, 0.9)
LONG = DepthScale(171.0, 37.0, 1.0)

PLAN_CENTRE_X, PLAN_HALF_PX = 428.0, 300.0


def pan_x(pan: float) -> float:
    """Return where a pan from -1 to 1 lies in the plan."""
    return PLAN_CENTRE_X + pan * PLAN_HALF_PX


def row_of(distance_m: float) -> str:
    """Return the row that a distance falls into."""
    if distance_m < MIDDLE_FROM_M:
        return "Front"
    return "Middle" if distance_m < BACK_FROM_M else "Back"
