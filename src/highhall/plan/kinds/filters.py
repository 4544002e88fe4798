"""Filters: the tone effect, and the filters that it and groups have."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from highhall.plan.kinds.parameter import Kind, Parameter, Start
from highhall.plan.kinds.rows import choice, flag, logarithmic, number
from highhall.wording import DECIBELS, DECIBELS_AN_OCTAVE, HERTZ, PLAIN, Form

CUT_SLOPES_DB_OCT = (6, 12, 18, 24)


@dataclass(frozen=True, slots=True)
class Shape:
    """What a filter does: which of its values count beside the frequency, and where a new one stands."""

    label: str
    values: tuple[str, ...]
    starts_at_hz: float

    @property
    def is_cut(self) -> bool:
        """Whether it has a slope."""
        return "slope_db_oct" in self.values

    @property
    def has_gain(self) -> bool:
        """Whether it raises or lowers by a gain."""
        return "gain_db" in self.values


SHAPES: Mapping[str, Shape] = {
    "low_cut": Shape("Low cut", ("slope_db_oct",), 200.0),
    "high_cut": Shape("High cut", ("slope_db_oct",), 8000.0),
    "bell": Shape("Bell", ("gain_db", "q"), 1000.0),
    "low_shelf": Shape("Low shelf", ("gain_db", "q"), 250.0),
    "high_shelf": Shape("High shelf", ("gain_db", "q"), 4000.0),
    "notch": Shape("Notch", ("q",), 1000.0),
}


def filter_params(*filters: tuple[str, float] | tuple[str, float, float]) -> Mapping[str, Any]:
    """Return the parameters of a tone effect of filters, each a shape, a frequency and perhaps a gain in dB."""
    names = ("shape", "hz", "gain_db")
    return {"bands": [dict(zip(names, filter_, strict=False)) for filter_ in filters]}


_ROWS: tuple[Parameter, ...] = (
    choice(
        "shape",
        "Shape",
        tuple(SHAPES),
        "what the filter does",
        is_required=True,
        typical="low_cut, high_cut",
        advice="Cuts for order, bells for character.",
    ),
    logarithmic(
        "hz",
        "Frequency",
        HERTZ,
        10,
        20000,
        "corner or centre frequency",
        is_required=True,
        step=1.06,
        typical="low cut 150 to 400 Hz, high cut 5 to 10 kHz",
        advice="Sweep it while all of the mix plays.",
    ),
    number(
        "gain_db",
        "Gain",
        DECIBELS,
        -24,
        24,
        "gain of a bell or shelf",
        default=0,
        step=0.5,
        typical="-6 to 3 dB",
        advice="Cut where instruments already are.",
    ),
    number(
        "q",
        "Q",
        PLAIN,
        0.1,
        20,
        "sharpness of a bell, shelf or notch",
        moves=False,
        default=0.707,
        step=0.1,
        typical="0.7 to 2",
        advice="Wide sounds natural, narrow removes a ring.",
    ),
    Parameter(
        name="slope_db_oct",
        label="Slope",
        form=Form.WHOLE_NUMBER,
        unit=DECIBELS_AN_OCTAVE,
        low=6,
        high=24,
        choices=CUT_SLOPES_DB_OCT,
        meaning="slope of a cut",
        default=12,
        typical="12",
        advice="24 where the bass must stay free.",
    ),
    flag(
        "on",
        "On",
        "whether the filter acts",
        default=True,
        typical="true",
        advice="Off is the quickest comparison.",
    ),
)

FILTER_PARAMETERS: Mapping[str, Parameter] = {parameter.name: parameter for parameter in _ROWS}

TONE = Kind(
    name="tone",
    label="Tone",
    meaning="Filters",
    makes_wet=False,
    parameters=(
        Parameter(
            name="bands",
            label="Filters",
            form=Form.LIST,
            meaning="the filters, in order",
            is_required=True,
            typical="a low cut, a high cut",
            advice="Cut lows first: nothing clears a mix of returns as fast.",
        ),
    ),
    starts=(
        Start(
            "clear-lows",
            "Clear lows",
            filter_params(("low_cut", 220)),
            "The first thing on any return that many instruments feed.",
        ),
        Start(
            "behind-the-voice",
            "Behind the voice",
            filter_params(("low_cut", 250), ("bell", 2600, -4), ("high_cut", 7500)),
            "Takes out of the return what makes words clear, so that the dry voice has it alone.",
        ),
        Start(
            "through-the-wall",
            "Through the wall",
            filter_params(("low_cut", 400), ("high_cut", 2200)),
            "Far away, small, remembered.",
        ),
    ),
)

KINDS = (TONE,)
