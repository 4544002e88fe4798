"""A hit at 0 and what a return makes of it, on the shared time axis: slope, repeats, short pairs, and what can be held."""

from collections.abc import Iterator
from dataclasses import dataclass, field

from hallweb.screens.returns.handles import Handle
from hallweb.screens.returns.time_axis import HIT_X, WIDTH, TimeAxis
from hallweb.screens.returns.time_handles import echo_handles, pair_handles, space_handles
from hallweb.screens.returns.time_scale import (
    DETAIL_X,
    EDGE,
    FLOOR_Y,
    SIDES,
    TOP_Y,
    Slope,
    detail_px_per_s,
    slope_of,
)
from highhall.advise import NearMiss, near_miss
from highhall.measure.predictions import LOWEST_DB, Repeat, echo_repeats, last_repeat_s, short_repeats
from highhall.plan import Effect, Return
from highhall.timing import Milliseconds
from highhall.wording import figure, seconds_in_words, time_in_words

AUDIBLE_DB = -30.0


@dataclass(frozen=True, slots=True, kw_only=True)
class DrawnRepeat:
    """One repeat: where it stands, how high of 1, and on which side."""

    x: float
    height: float
    is_left: bool

    @property
    def large_y(self) -> float:
        """Its top in the large picture."""
        return FLOOR_Y - (FLOOR_Y - TOP_Y) * self.height

    @property
    def small_y(self) -> float:
        """Its top in the small picture, whose floor is at 46."""
        return 46 - 38 * self.height


@dataclass(frozen=True, slots=True, kw_only=True)
class Miss:
    """A time of an echo that just misses the grid, and the note that would meet it."""

    x: float
    path: str
    words: str
    note: str


@dataclass(frozen=True, slots=True, kw_only=True)
class TimePicture:
    """All of a return that time can show. `label` says it in short, `pair` in a detail at 20:1."""

    axis: TimeAxis
    label: str
    reading: str = ""
    verdict: str = ""
    slope: Slope | None = None
    repeats: list[DrawnRepeat] = field(default_factory=list)
    pair: list[DrawnRepeat] = field(default_factory=list)
    misses: list[Miss] = field(default_factory=list)
    handles: list[Handle] = field(default_factory=list)
    held: str = ""

    @property
    def holding(self) -> Handle | None:
        """The handle that is being dragged."""
        return next((h for h in self.handles if h.main.path == self.held), None)

    @property
    def marks(self) -> list[tuple[float, str]]:
        """The note values that a held time is led to, as many as can be read."""
        shown: list[tuple[float, str]] = []
        for x, text in self.holding.across.snaps if self.holding and self.holding.across else ():
            if "/" in text and (not shown or x - shown[-1][0] >= 38):
                shown.append((x, text))
        return shown

    @property
    def detail_width(self) -> float:
        """How wide the detail of a pair is: 140 px, or as far as the pair reaches."""
        return max(140.0, max((r.x for r in self.pair), default=0.0) - DETAIL_X + 40)

    @property
    def is_long(self) -> bool:
        """Whether what is drawn leaves room for one line of words only."""
        ends = [r.x for r in self.repeats] + ([self.slope.end_x] if self.slope else [])
        return max(ends, default=0.0) > HIT_X + 0.65 * WIDTH


def time_picture(return_: Return, axis: TimeAxis, held: str = "", *, has_handles: bool = True) -> TimePicture:
    """Return the picture of a return, of those of its effects that are on; `held` is the path that is being dragged."""
    space = _first(return_, "reverb")
    echo = _first(return_, "echo")
    pair = _first(return_, "offset") or _first(return_, "doubler")
    end_s = last_repeat_s(return_, axis.song, axis.at, AUDIBLE_DB)
    if space is not None:
        end_s += axis.song.time.seconds_of(space.time("pre_delay"), axis.at) + space.number("decay_s")
        reading, verdict = axis.reading_of(end_s, "Tail")
    elif echo is not None:
        reading, verdict = axis.reading_of(end_s, "Repeats")
    else:
        reading, verdict = "", ""
    slope = None if space is None else slope_of(space, axis)
    repeats = [] if echo is None else echo_repeats(echo, axis.song, axis.at)
    shown_pair = pair if space is None and echo is None else None
    handles = (
        []
        if not has_handles
        else [
            *(space_handles(space, slope, axis) if space is not None and slope is not None else ()),
            *(echo_handles(echo, axis) if echo is not None else ()),
            *(pair_handles(shown_pair, axis) if shown_pair is not None else ()),
        ]
    )
    return TimePicture(
        axis=axis,
        label=_label(return_, space, echo, repeats, shown_pair),
        reading=reading,
        verdict=verdict,
        slope=slope,
        repeats=[r for r in (_repeat(repeat, axis) for repeat in repeats) if r.x <= EDGE and r.height > 0],
        pair=[] if shown_pair is None else [_detail(repeat, axis) for repeat in short_repeats(shown_pair)],
        misses=[] if echo is None else list(_misses(echo, axis)),
        handles=[h for h in handles if h.x <= EDGE],
        held=held,
    )


def _first(return_: Return, kind: str) -> Effect | None:
    return next((s for s in return_.chain if s.on and s.kind == kind), None)


def _repeat(repeat: Repeat, axis: TimeAxis) -> DrawnRepeat:
    return DrawnRepeat(
        x=axis.x(repeat.seconds), height=min(1 - repeat.level_db / LOWEST_DB, 1.1), is_left=repeat.side == 0
    )


def _detail(repeat: Repeat, axis: TimeAxis) -> DrawnRepeat:
    return DrawnRepeat(x=DETAIL_X + repeat.seconds * detail_px_per_s(axis), height=0.6, is_left=repeat.side == 0)


def _label(
    return_: Return, space: Effect | None, echo: Effect | None, repeats: list[Repeat], pair: Effect | None
) -> str:
    if space is not None:
        pre_delay = space.time("pre_delay")
        before = "" if pre_delay == Milliseconds(0) else f"{time_in_words(pre_delay)}, then "
        return f"{before}{seconds_in_words(space.number('decay_s'))}"
    if echo is not None:
        audible = sum(repeat.level_db >= AUDIBLE_DB for repeat in repeats)
        times = ", ".join(f"{side} {time_in_words(echo.time(side))}" for side in SIDES)
        return f"{times}: {audible} repeat{'s' * (audible != 1)} over \N{MINUS SIGN}30 dB"
    if pair is not None:
        left, right = (pair.number(f"{side}_ms") for side in SIDES)
        cents = (
            f", {figure(pair.number('left_cents'), 0)} and {figure(pair.number('right_cents'), 0)} cents"
            if pair.kind == "doubler"
            else ""
        )
        return f"left {left:g} ms, right {right:g} ms{cents}"
    impulse = _first(return_, "impulse")
    if impulse is not None:
        name = str(impulse.value("ir")).rpartition("/")[2].rpartition(".")[0]
        return f"impulse response {name}, drawn as it sounds"
    return "no tail and no repeats: all of it comes with the hit"


def _misses(effect: Effect, axis: TimeAxis) -> Iterator[Miss]:
    for side in SIDES:
        miss = near_miss(effect.time(side), axis.song, axis.at)
        if miss is not None:
            yield Miss(
                x=axis.x((miss.note_ms + miss.off_ms) / 1000),
                path=f"effect/{effect.id}/{side}",
                words=f"{side.capitalize()} {_missed(miss)}",
                note=str(miss.note),
            )


def _missed(miss: NearMiss) -> str:
    side = "after" if miss.off_ms > 0 else "before"
    return f"comes {abs(miss.off_ms):.0f} ms {side} {miss.note} ({miss.note_ms:.0f} ms)"
