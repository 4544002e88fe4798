"""What can be held in a picture of time: starts, times, decays, levels and feedback."""

import math
from collections.abc import Iterator

from hallweb.screens.returns.handles import Drag, Handle, drag_from
from hallweb.screens.returns.time_axis import HIT_X, TimeAxis
from hallweb.screens.returns.time_scale import (
    DETAIL_X,
    EDGE,
    FLOOR_Y,
    PX_PER_DB,
    SIDES,
    TOP_Y,
    Slope,
    detail_px_per_s,
)
from highhall.measure.predictions import short_repeats
from highhall.plan import Effect
from highhall.timing import NoteValue
from highhall.wording import Form, figure, seconds_in_words

_SHAPES = {0: "round", 1: "square"}
_NO_FEEDBACK_DB = -57.0
_NUDGE = 7.0


def space_handles(effect: Effect, slope: Slope, axis: TimeAxis) -> Iterator[Handle]:
    """Return what can be held of a space: its pre-delay, its decay, and those of lows and highs that are in sight."""
    yield _time_handle(effect, "pre_delay", "Pre-delay", axis, shape="grip", y=(TOP_Y + FLOOR_Y) / 2)
    yield _decay_handle(effect, "decay_s", "Decay", slope, axis, share=0.5, end_x=slope.end_x, unit_s=1.0)
    decay_s = effect.number("decay_s")
    for name, title, end_x in (
        ("low_ratio", "Low decay", slope.low_end_x),
        ("high_ratio", "High decay", slope.high_end_x),
    ):
        if end_x <= EDGE:
            yield _decay_handle(effect, name, title, slope, axis, share=1.0, end_x=end_x, unit_s=decay_s)


def echo_handles(effect: Effect, axis: TimeAxis) -> Iterator[Handle]:
    """Return what can be held of an echo: time and level of the first repeat of each side, and the feedback."""
    offset_s = effect.number("offset_ms") / 1000
    late_s = (max(-offset_s, 0.0), max(offset_s, 0.0))
    seconds = [
        axis.song.time.seconds_of(effect.time(name), axis.at) + late for name, late in zip(SIDES, late_s, strict=True)
    ]
    is_crowded = abs(seconds[0] - seconds[1]) * axis.px_per_s < 2 * _NUDGE
    for side, name in enumerate(SIDES):
        level = effect.number(f"{name}_db")
        y = _y(level)
        base = _time_handle(
            effect, name, f"{name.capitalize()} time", axis, shape=_SHAPES[side], y=y, late_s=late_s[side]
        )
        upward = _level_drag(f"effect/{effect.id}/{name}_db", y, level)
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
    yield _feedback_handle(effect, axis)


def pair_handles(effect: Effect, axis: TimeAxis) -> Iterator[Handle]:
    """Return what can be held of an offset or doubler: its two delays, in the detail."""
    px_per_s = detail_px_per_s(axis)
    for repeat, name in zip(short_repeats(effect), SIDES, strict=True):
        x = DETAIL_X + repeat.seconds * px_per_s
        yield _time_handle(
            effect,
            f"{name}_ms",
            f"{name.capitalize()} delay",
            axis,
            shape=_SHAPES[repeat.side],
            y=84,
            per_px=1000 / px_per_s,
            x=x,
        )


def _time_handle(
    effect: Effect,
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
    parameter = effect.table.parameter(name)
    is_note = parameter.form is Form.TIME
    value = effect.time(name) if is_note else None
    seconds = axis.song.time.seconds_of(value, axis.at) if value is not None else effect.number(name) / 1000
    place = axis.x(seconds + late_s) if x is None else x
    path = f"effect/{effect.id}/{name}"
    snaps = axis.note_marks(late_s, parameter.low, parameter.high) if is_note else []
    if is_note and parameter.low == 0:
        snaps.insert(0, (axis.x(late_s), "0 ms"))
    across = drag_from(
        path, at_px=place, value=seconds * 1000, per_px=per_px or 1000 / axis.px_per_s, size=EDGE, step=1, unit="ms",
        low=parameter.low, high=parameter.high, snaps=tuple(snaps),
    )  # fmt: skip
    shown = (
        f"{value} {seconds * 1000:.1f} ms"
        if isinstance(value, NoteValue)
        else f"{seconds * 1000:.1f} ms, {axis.beats_of(seconds)}"
    )
    return Handle(name=title, text=shown, shape=shape, x=place, y=y, across=across)


def _decay_handle(
    effect: Effect, name: str, title: str, slope: Slope, axis: TimeAxis, *, share: float, end_x: float, unit_s: float
) -> Handle:
    """Return a diamond on a slope: half way down, or nearer where that is out of sight."""
    parameter = effect.table.parameter(name)
    share = min(share, max((EDGE - 12 - slope.start_x) / (end_x - slope.start_x), 0.05))
    value = effect.number(name)
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
        f"effect/{effect.id}/{name}", at_px=x, value=value, per_px=per_px, size=EDGE, step=0.01, unit=parameter.unit.in_plan,
        low=parameter.low, high=parameter.high, snaps=snaps,
    )  # fmt: skip
    seconds = value * unit_s
    text = f"{seconds_in_words(seconds)}, {axis.beats_of(seconds)}"
    y = TOP_Y + share * (FLOOR_Y - TOP_Y)
    return Handle(name=title, text=text, shape="diamond", x=x, y=y, across=drag)


def _feedback_handle(effect: Effect, axis: TimeAxis) -> Handle:
    feedback = effect.number("feedback")
    level = 20 * math.log10(feedback) if feedback > 0 else _NO_FEEDBACK_DB
    seconds = axis.song.time.seconds_of(effect.time("left"), axis.at)
    y = _y(effect.number("left_db") + max(level, _NO_FEEDBACK_DB))
    return Handle(
        name="Feedback", text=f"{feedback * 100:.0f} %, {figure(level)} dB a repeat" if feedback else "0 %, one repeat",
        shape="diamond", x=axis.x(2 * seconds + max(-effect.number("offset_ms") / 1000, 0.0)), y=y,
        upward=_level_drag(f"effect/{effect.id}/feedback", y, level, low=-60, high=-0.2),
    )  # fmt: skip


def _level_drag(path: str, y: float, level: float, low: float = -60, high: float = 6) -> Drag:
    return drag_from(
        path, at_px=y, value=level, per_px=-1 / PX_PER_DB, size=200, step=0.5, unit="dB", low=low, high=high
    )


def _y(level_db: float) -> float:
    return min(max(TOP_Y - level_db * PX_PER_DB, TOP_Y - 14), FLOOR_Y)
