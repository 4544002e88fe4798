"""What a picture of time is drawn to: levels from top to floor, details at 20:1, the slope of a space, times in words."""

from dataclasses import dataclass

from hallweb.screens.returns.time_axis import HIT_X, WIDTH, TimeAxis
from highhall.measure.predictions import LOWEST_DB
from highhall.plan import Effect
from highhall.timing import NoteValue
from highhall.wording import seconds_in_words

TOP_Y, FLOOR_Y = 36.0, 156.0
PX_PER_DB = (FLOOR_Y - TOP_Y) / -LOWEST_DB
EDGE = HIT_X + WIDTH
DETAIL_X, DETAIL_SCALE = 190.0, 20
SIDES = ("left", "right")
_FIGURE_PX, _FIGURE_GAP_PX = 112.0, 9.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Slope:
    """The decay of a space."""

    start_x: float
    end_x: float
    low_end_x: float
    high_end_x: float
    pre_delay: str
    decay: str
    low_decay: str
    high_decay: str

    @property
    def figure(self) -> tuple[float, str]:
        """Where the decay's figure stands and its anchor: in the middle of what is in sight of its dimension line; beside a line too short for it."""
        end_x = min(self.end_x, EDGE)
        if end_x - self.start_x >= _FIGURE_PX:
            return (self.start_x + end_x) / 2, "middle"
        if end_x + _FIGURE_PX <= EDGE:
            return end_x + _FIGURE_GAP_PX, "start"
        return self.start_x - _FIGURE_GAP_PX, "end"


def slope_of(effect: Effect, axis: TimeAxis) -> Slope:
    """Return the slope of a reverb effect."""
    time = effect.time("pre_delay")
    start_s, decay_s = axis.song.time.seconds_of(time, axis.at), effect.number("decay_s")
    low_s, high_s = decay_s * effect.number("low_ratio"), decay_s * effect.number("high_ratio")
    ms = f"{start_s * 1000:.0f} ms"
    return Slope(
        start_x=axis.x(start_s),
        end_x=axis.x(start_s + decay_s),
        low_end_x=axis.x(start_s + low_s),
        high_end_x=axis.x(start_s + high_s),
        pre_delay=f"{time} {ms}" if isinstance(time, NoteValue) else ms,
        decay=seconds_in_words(decay_s),
        low_decay=seconds_in_words(low_s),
        high_decay=seconds_in_words(high_s),
    )


def detail_px_per_s(axis: TimeAxis) -> float:
    """Return the scale of a detail."""
    return DETAIL_SCALE * WIDTH / 4 / axis.beat_s
