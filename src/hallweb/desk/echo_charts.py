"""The picture of an echo: every repeat of a hit at 0, by side and level, against the beats."""

from dataclasses import dataclass

from hallweb.desk.charts import AUDIBLE_DB, BEAT_PX, HIT_X, reading_of, time_grid
from hallweb.desk.fields import beat_seconds
from hallweb.desk.templatetags.figures import figure
from highhall.measure.predictions import LOWEST_DB, echo_taps, last_repeat_s
from highhall.plan import Plan, Return
from highhall.timing import Position

_SHOWN_PX = 552.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Repeat:
    """One repeat: where it stands, how high of 1, and on which side."""

    x: float
    height: float
    is_left: bool

    @property
    def large_y(self) -> float:
        """Its top in the large picture, whose floor is at 156."""
        return 156 - 120 * self.height

    @property
    def small_y(self) -> float:
        """Its top in the small picture, whose floor is at 46."""
        return 46 - 38 * self.height


@dataclass(frozen=True, slots=True, kw_only=True)
class EchoPicture:
    """All repeats that fit, how the times are called, and in words when the last is over."""

    repeats: list[Repeat]
    times: str
    count: str
    reading: str
    verdict: str


def echo_picture(plan: Plan, return_: Return) -> EchoPicture | None:
    """Return the picture of a return's first echo at the song's first tempo; None if it has none."""
    step = next((s for s in return_.chain if s.on and s.kind == "echo"), None)
    if step is None:
        return None
    beat_s = beat_seconds(plan)
    taps = echo_taps(step, plan.song, Position(1))
    repeats = [
        Repeat(
            x=HIT_X + tap.seconds / beat_s * BEAT_PX,
            height=min(1 - tap.level_db / LOWEST_DB, 1.1),
            is_left=tap.side == 0,
        )
        for tap in taps
    ]
    audible = [tap for tap in taps if tap.level_db >= AUDIBLE_DB]
    last_s = last_repeat_s(return_, plan.song, Position(1), AUDIBLE_DB)
    reading, verdict = reading_of(last_s / beat_s, time_grid(plan.song), "Repeats")
    return EchoPicture(
        repeats=[repeat for repeat in repeats if repeat.x <= _SHOWN_PX],
        times=f"left {step.time('left')}, right {step.time('right')}",
        count=f"{len(audible)} repeat{'s' * (len(audible) != 1)} over \N{MINUS SIGN}30 dB, the last after {figure(last_s, 2)} s",
        reading=reading,
        verdict=verdict,
    )
