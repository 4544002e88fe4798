"""A hit at 0 and what a return makes of it, on the shared time axis: slope, repeats, short pairs, and what can be held."""

import math
from collections.abc import Iterator
from dataclasses import dataclass, field

from hallweb.desk.handles import Drag, Handle, drag_from
from hallweb.desk.templatetags.figures import figure
from hallweb.desk.time_axis import HIT_X, WIDTH, TimeAxis
from highhall.advise import NearMiss, near_miss
from highhall.measure.predictions import LOWEST_DB, Tap, echo_taps, last_repeat_s, short_taps
from highhall.plan import Return, Step
from highhall.plan.kinds import KINDS
from highhall.timing import Milliseconds, NoteValue, TimeValue

AUDIBLE_DB = -30.0
TOP_Y, FLOOR_Y = 36.0, 156.0
PX_PER_DB = (FLOOR_Y - TOP_Y) / -LOWEST_DB
DETAIL_SCALE = 20
_DETAIL_X = 190.0
_EDGE = HIT_X + WIDTH
_SQUARE = {0: "round", 1: "square"}
_SIDES = ("left", "right")
_NO_FEEDBACK_DB = -57.0
_NUDGE = 7.0


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
    def middle_x(self) -> float:
        """Where the decay's figure stands on its dimension line: its middle, as far as that is in sight."""
        return (self.start_x + min(self.end_x, _EDGE)) / 2


@dataclass(frozen=True, slots=True, kw_only=True)
class Repeat:
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
    repeats: list[Repeat] = field(default_factory=list)
    pair: list[Repeat] = field(default_factory=list)
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
        return max(140.0, max((r.x for r in self.pair), default=0.0) - _DETAIL_X + 40)

    @property
    def is_long(self) -> bool:
        """Whether what is drawn leaves room for one line of words only."""
        ends = [r.x for r in self.repeats] + ([self.slope.end_x] if self.slope else [])
        return max(ends, default=0.0) > HIT_X + 0.65 * WIDTH


def time_picture(return_: Return, axis: TimeAxis, held: str = "", *, has_handles: bool = True) -> TimePicture:
    """Return the picture of a return, of those of its steps that are on; `held` is the path that is being dragged."""
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
    slope = None if space is None else _slope(space, axis)
    taps = [] if echo is None else echo_taps(echo, axis.song, axis.at)
    shown_pair = pair if space is None and echo is None else None
    handles = (
        []
        if not has_handles
        else [
            *(_space_handles(space, slope, axis) if space is not None and slope is not None else ()),
            *(_echo_handles(echo, axis) if echo is not None else ()),
            *(_pair_handles(shown_pair, axis) if shown_pair is not None else ()),
        ]
    )
    return TimePicture(
        axis=axis,
        label=_label(return_, space, echo, taps, shown_pair),
        reading=reading,
        verdict=verdict,
        slope=slope,
        repeats=[r for r in (_repeat(tap, axis) for tap in taps) if r.x <= _EDGE and r.height > 0],
        pair=[] if shown_pair is None else [_detail(tap, axis) for tap in short_taps(shown_pair)],
        misses=[] if echo is None else list(_misses(echo, axis)),
        handles=[h for h in handles if h.x <= _EDGE],
        held=held,
    )


def _first(return_: Return, kind: str) -> Step | None:
    return next((s for s in return_.chain if s.on and s.kind == kind), None)


def _slope(step: Step, axis: TimeAxis) -> Slope:
    time = step.time("pre_delay")
    start_s, decay_s = axis.song.time.seconds_of(time, axis.at), step.number("decay_s")
    low_s, high_s = decay_s * step.number("low_ratio"), decay_s * step.number("high_ratio")
    ms = f"{start_s * 1000:.0f} ms"
    return Slope(
        start_x=axis.x(start_s),
        end_x=axis.x(start_s + decay_s),
        low_end_x=axis.x(start_s + low_s),
        high_end_x=axis.x(start_s + high_s),
        pre_delay=f"{time} {ms}" if isinstance(time, NoteValue) else ms,
        decay=seconds_text(decay_s),
        low_decay=seconds_text(low_s),
        high_decay=seconds_text(high_s),
    )


def seconds_text(seconds: float) -> str:
    """Return a duration in seconds as it is written in pictures."""
    return f"{seconds:.2f} s" if seconds < 10 else f"{seconds:.1f} s"


def time_text(time: TimeValue) -> str:
    """Return a time value as it is written in pictures."""
    return str(time) if isinstance(time, NoteValue) else f"{time.ms:g} ms"


def _repeat(tap: Tap, axis: TimeAxis) -> Repeat:
    return Repeat(x=axis.x(tap.seconds), height=min(1 - tap.level_db / LOWEST_DB, 1.1), is_left=tap.side == 0)


def _detail(tap: Tap, axis: TimeAxis) -> Repeat:
    return Repeat(x=_DETAIL_X + tap.seconds * _detail_px_per_s(axis), height=0.6, is_left=tap.side == 0)


def _detail_px_per_s(axis: TimeAxis) -> float:
    return DETAIL_SCALE * WIDTH / 4 / axis.beat_s


def _label(return_: Return, space: Step | None, echo: Step | None, taps: list[Tap], pair: Step | None) -> str:
    if space is not None:
        pre_delay = space.time("pre_delay")
        before = "" if pre_delay == Milliseconds(0) else f"{time_text(pre_delay)}, then "
        return f"{before}{seconds_text(space.number('decay_s'))}"
    if echo is not None:
        audible = sum(tap.level_db >= AUDIBLE_DB for tap in taps)
        times = ", ".join(f"{side} {time_text(echo.time(side))}" for side in _SIDES)
        return f"{times}: {audible} repeat{'s' * (audible != 1)} over \N{MINUS SIGN}30 dB"
    if pair is not None:
        left, right = (pair.number(f"{side}_ms") for side in _SIDES)
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


def _misses(step: Step, axis: TimeAxis) -> Iterator[Miss]:
    for side in _SIDES:
        miss = near_miss(step.time(side), axis.song, axis.at)
        if miss is not None:
            yield Miss(
                x=axis.x((miss.note_ms + miss.off_ms) / 1000),
                path=f"step/{step.id}/{side}",
                words=f"{side.capitalize()} {_missed(miss)}",
                note=str(miss.note),
            )


def _missed(miss: NearMiss) -> str:
    side = "after" if miss.off_ms > 0 else "before"
    return f"comes {abs(miss.off_ms):.0f} ms {side} {miss.note} ({miss.note_ms:.0f} ms)"


def _time_handle(
    step: Step,
    name: str,
    title: str,
    axis: TimeAxis,
    *,
    shape: str,
    y: float,
    late_s: float = 0.0,
    per_px: float | None = None,
    x: float | None = None,
) -> Handle:
    """Return the handle of a time value or of a number of ms."""
    parameter = KINDS[step.kind].parameter(name)
    is_note = parameter.unit == "ms" and not name.endswith("_ms")
    value = step.time(name) if is_note else None
    seconds = axis.song.time.seconds_of(value, axis.at) if value is not None else step.number(name) / 1000
    place = axis.x(seconds + late_s) if x is None else x
    path = f"step/{step.id}/{name}"
    snaps = axis.note_marks(late_s, parameter.low, parameter.high) if is_note else []
    if is_note and parameter.low == 0:
        snaps.insert(0, (axis.x(late_s), "0 ms"))
    across = drag_from(
        path, at_px=place, value=seconds * 1000, per_px=per_px or 1000 / axis.px_per_s, size=_EDGE, step=1, unit="ms",
        low=parameter.low, high=parameter.high, snaps=tuple(snaps),
    )  # fmt: skip
    shown = (
        f"{value} {seconds * 1000:.1f} ms"
        if isinstance(value, NoteValue)
        else f"{seconds * 1000:.1f} ms, {axis.beats_of(seconds)}"
    )
    return Handle(name=title, text=shown, shape=shape, x=place, y=y, across=across)


def _space_handles(step: Step, slope: Slope, axis: TimeAxis) -> Iterator[Handle]:
    yield _time_handle(step, "pre_delay", "Pre-delay", axis, shape="grip", y=(TOP_Y + FLOOR_Y) / 2)
    yield _decay_handle(step, "decay_s", "Decay", slope, axis, share=0.5, end_x=slope.end_x, unit_s=1.0)
    decay_s = step.number("decay_s")
    for name, title, end_x in (
        ("low_ratio", "Low decay", slope.low_end_x),
        ("high_ratio", "High decay", slope.high_end_x),
    ):
        if end_x <= _EDGE:
            yield _decay_handle(step, name, title, slope, axis, share=1.0, end_x=end_x, unit_s=decay_s)


def _decay_handle(
    step: Step, name: str, title: str, slope: Slope, axis: TimeAxis, *, share: float, end_x: float, unit_s: float
) -> Handle:
    """Return a diamond on a slope: half way down, or nearer where that is out of sight."""
    parameter = KINDS[step.kind].parameter(name)
    share = min(share, max((_EDGE - 12 - slope.start_x) / (end_x - slope.start_x), 0.05))
    value = step.number(name)
    x = slope.start_x + share * (end_x - slope.start_x)
    per_px = 1 / share / axis.px_per_s / unit_s
    half_beats = [(n * axis.beat_s / 2) for n in range(1, 2 * axis.beats * 4 + 1)] if name == "decay_s" else []
    start_s = (slope.start_x - HIT_X) / axis.px_per_s
    snaps = tuple(
        (slope.start_x + share * (end_s - start_s) * axis.px_per_s, f"{end_s - start_s:.4g} s")
        for end_s in half_beats
        if parameter.low <= end_s - start_s <= parameter.high
    )
    drag = drag_from(
        f"step/{step.id}/{name}", at_px=x, value=value, per_px=per_px, size=_EDGE, step=0.01, unit=parameter.unit,
        low=parameter.low, high=parameter.high, snaps=snaps,
    )  # fmt: skip
    seconds = value * unit_s
    text = f"{seconds_text(seconds)}, {axis.beats_of(seconds)}"
    y = TOP_Y + share * (FLOOR_Y - TOP_Y)
    return Handle(name=title, text=text, shape="diamond", x=x, y=y, across=drag)


def _echo_handles(step: Step, axis: TimeAxis) -> Iterator[Handle]:
    offset_s = step.number("offset_ms") / 1000
    late_s = (max(-offset_s, 0.0), max(offset_s, 0.0))
    seconds = [
        axis.song.time.seconds_of(step.time(name), axis.at) + late for name, late in zip(_SIDES, late_s, strict=True)
    ]
    is_crowded = abs(seconds[0] - seconds[1]) * axis.px_per_s < 2 * _NUDGE
    for side, name in enumerate(_SIDES):
        level = step.number(f"{name}_db")
        y = _y(level)
        base = _time_handle(
            step, name, f"{name.capitalize()} time", axis, shape=_SQUARE[side], y=y, late_s=late_s[side]
        )
        upward = _level_drag(f"step/{step.id}/{name}_db", y, level)
        yield Handle(
            name=base.name,
            text=f"{base.text}, {figure(level)} dB",
            shape=base.shape,
            x=base.x,
            y=y,
            across=base.across,
            upward=upward,
            nudge=(2 * side - 1) * _NUDGE * is_crowded,
        )
    yield _feedback_handle(step, axis)


def _feedback_handle(step: Step, axis: TimeAxis) -> Handle:
    feedback = step.number("feedback")
    level = 20 * math.log10(feedback) if feedback > 0 else _NO_FEEDBACK_DB
    seconds = axis.song.time.seconds_of(step.time("left"), axis.at)
    y = _y(step.number("left_db") + max(level, _NO_FEEDBACK_DB))
    return Handle(
        name="Feedback", text=f"{feedback * 100:.0f} %, {figure(level)} dB a repeat" if feedback else "0 %, one repeat",
        shape="diamond", x=axis.x(2 * seconds + max(-step.number("offset_ms") / 1000, 0.0)), y=y,
        upward=_level_drag(f"step/{step.id}/feedback", y, level, low=-60, high=-0.2),
    )  # fmt: skip


def _level_drag(path: str, y: float, level: float, low: float = -60, high: float = 6) -> Drag:
    return drag_from(
        path, at_px=y, value=level, per_px=-1 / PX_PER_DB, size=200, step=0.5, unit="dB", low=low, high=high
    )


def _y(level_db: float) -> float:
    return min(max(TOP_Y - level_db * PX_PER_DB, TOP_Y - 14), FLOOR_Y)


def _pair_handles(step: Step, axis: TimeAxis) -> Iterator[Handle]:
    px_per_s = _detail_px_per_s(axis)
    for tap, name in zip(short_taps(step), _SIDES, strict=True):
        x = _DETAIL_X + tap.seconds * px_per_s
        yield _time_handle(
            step,
            f"{name}_ms",
            f"{name.capitalize()} delay",
            axis,
            shape=_SQUARE[tap.side],
            y=84,
            per_px=1000 / px_per_s,
            x=x,
        )
