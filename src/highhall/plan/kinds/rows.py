"""Short ways to write a row of the table, by the form of its value."""

from collections.abc import Mapping
from typing import Any, TypedDict, Unpack

from highhall.plan.kinds.parameter import Parameter, Scale
from highhall.timing import parse_time_value
from highhall.wording import DECIBELS, HERTZ, MILLISECONDS, PLAIN, Form, Unit


class Columns(TypedDict, total=False):
    """The columns that any row may have; see `Parameter`."""

    default: Any
    default_by: tuple[str, Mapping[str, float]]
    starts_at: Any
    is_required: bool
    may_be_null: bool
    null_acts_as: float
    has_phase: bool
    is_built_for: bool
    step: float
    mirror: str
    grows_with_space: bool
    heading: str
    hint: str
    typical: str
    advice: str


def number(
    name: str, label: str, unit: Unit, low: float, high: float, meaning: str, *, moves: bool = True, **more: Unpack[Columns]
) -> Parameter:  # fmt: skip
    """Return a number that runs straight when it moves; a level runs in dB."""
    return Parameter(
        name=name, label=label, unit=unit, low=low, high=high, meaning=meaning, is_movable=moves, **more
    )  # fmt: skip


def level(name: str, label: str, low: float, high: float, meaning: str, **more: Unpack[Columns]) -> Parameter:
    """Return a level in dB that moves as levels do."""
    return Parameter(
        name=name, label=label, unit=DECIBELS, low=low, high=high, meaning=meaning, is_movable=True,
        scale=Scale.LEVEL, **more,
    )  # fmt: skip


def logarithmic(
    name: str, label: str, unit: Unit, low: float, high: float, meaning: str, **more: Unpack[Columns]
) -> Parameter:
    """Return a number that runs on a line in the logarithm: a frequency, a decay, a speed."""
    return Parameter(
        name=name, label=label, unit=unit, low=low, high=high, meaning=meaning, is_movable=True,
        scale=Scale.LOGARITHMIC, **more,
    )  # fmt: skip


def whole_number(name: str, label: str, low: int, high: int, meaning: str, **more: Unpack[Columns]) -> Parameter:
    """Return a whole number; it does not move."""
    return Parameter(
        name=name, label=label, form=Form.WHOLE_NUMBER, low=low, high=high, meaning=meaning, **more
    )  # fmt: skip


def time(name: str, label: str, low_ms: float, high_ms: float, meaning: str, **more: Unpack[Columns]) -> Parameter:
    """Return a note value or a number of milliseconds; it moves by cross-fades. Its default is written as in a plan."""
    for column in ("default", "starts_at"):
        if column in more:
            more[column] = parse_time_value(more[column])
    return Parameter(
        name=name, label=label, form=Form.TIME, unit=MILLISECONDS, low=low_ms, high=high_ms, meaning=meaning,
        is_movable=True, scale=Scale.TIME, **more,
    )  # fmt: skip


def rate(label: str, meaning: str, **more: Unpack[Columns]) -> Parameter:
    """Return the speed of an oscillator in Hz, or as the note value that one round lasts."""
    if isinstance(more["default"], str):
        more["default"] = parse_time_value(more["default"])
    more |= {"has_phase": True, "step": 1.06}
    return Parameter(
        name="rate", label=label, form=Form.RATE, unit=HERTZ, low=0.05, high=10.0, meaning=meaning, is_movable=True,
        scale=Scale.LOGARITHMIC, **more,
    )  # fmt: skip


def choice(name: str, label: str, choices: tuple[str, ...], meaning: str, **more: Unpack[Columns]) -> Parameter:
    """Return a choice of words; it does not move."""
    return Parameter(name=name, label=label, form=Form.CHOICE, choices=choices, meaning=meaning, **more)


def flag(name: str, label: str, meaning: str, **more: Unpack[Columns]) -> Parameter:
    """Return a yes or no; it does not move."""
    return Parameter(name=name, label=label, form=Form.FLAG, meaning=meaning, **more)


def switch(name: str, label: str, meaning: str, *, default: bool, closes: bool) -> Parameter:
    """Return a yes or no that can move: nothing passes while it is `closes`."""
    return Parameter(
        name=name, label=label, form=Form.FLAG, meaning=meaning, default=default, closes=closes, is_movable=True,
        scale=Scale.SWITCH, unit=PLAIN,
    )  # fmt: skip
