"""What a kind of effect is, and what one of its parameters is."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

from highhall.wording import Form, Quantity

MAXIMUM_FILTERS = 8


class Scale(StrEnum):
    """The unit in which a moved value runs from one place to the next."""

    LINEAR = "linear"
    LOGARITHMIC = "logarithmic"
    LEVEL = "level"
    SWITCH = "switch"
    TIME = "time"


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Parameter(Quantity):
    """One row of the table: all that is known about a value of a plan that people set.

    name, label, meaning: what a plan, a screen and a manual call it.
    default: what holds where nothing is written; with `default_by` it depends on the choice that another parameter,
    the first of the two, makes. starts_at: what a value without a default is set to first.
    is_movable: whether it can move through the song, and then `scale` says how it runs from one value to the next.
    null_acts_as: the number in whose place null stands when the value glides to or from a number.
    has_phase: whether it is a speed that is summed up from the song's beginning, as that of an oscillator.
    is_built_for: whether the effect is built for the lowest and highest value that it ever has, as a space for its
    shortest decay, so that another extreme anywhere in the song changes its sound everywhere.
    closes: for a switch, the value at which nothing passes.
    step: what one press of an arrow key adds, in the plan's unit, or the factor where the scale is logarithmic; 0 where
    there are choices or notes. mirror: the name of the same parameter of the other side.
    grows_with_space: whether it grows in proportion when a set of returns is made larger.
    heading: what its field stands under, if its kind has several headings. hint: what stands under its field;
    {beats} is the value in beats, {NAME} another parameter in words.
    typical, advice: for people.
    """

    name: str
    label: str
    meaning: str
    default: Any = None
    default_by: tuple[str, Mapping[str, float]] | None = None
    starts_at: Any = None
    is_required: bool = False
    is_movable: bool = False
    scale: Scale = Scale.LINEAR
    null_acts_as: float = 0.0
    has_phase: bool = False
    is_built_for: bool = False
    closes: bool = False
    step: float = 0.0
    mirror: str = ""
    grows_with_space: bool = False
    heading: str = ""
    hint: str = ""
    typical: str = ""
    advice: str = ""

    def __post_init__(self) -> None:
        for name in ("default", "starts_at"):
            value = getattr(self, name)
            if self.form is Form.NUMBER and value is not None:
                object.__setattr__(self, name, float(value))

    @property
    def allowed(self) -> str:
        """What may be written in a plan, in words that end a sentence."""
        match self.form:
            case Form.CHOICE | Form.WHOLE_NUMBER if self.choices:
                unit = f" ({self.unit.in_plan})" if self.unit.in_plan else ""
                words = f"one of {', '.join(map(str, self.choices))}{unit}"
            case Form.FLAG:
                words = "true or false"
            case Form.PATH:
                words = "a path relative to the plan's folder"
            case Form.ID:
                words = "the id of a track or group"
            case Form.LIST:
                words = f"a list of up to {MAXIMUM_FILTERS} filters"
            case Form.TIME:
                words = f'a note value such as "1/8." or milliseconds such as "375ms", from {self._range}'
            case Form.RATE:
                words = f'a number from {self._range}, or a note value such as "1/4"'
            case Form.WHOLE_NUMBER:
                words = f"a whole number from {self._range}"
            case _:
                words = f"a number from {self._range}"
        return words + (" or null" if self.may_be_null else "")

    @property
    def _range(self) -> str:
        return f"{self.low:g} to {self.high:g} {self.unit.in_plan}".strip()


@dataclass(frozen=True, slots=True)
class Start:
    """Settings of an effect to start from, as a plan writes them; `when` says what they are for."""

    id: str
    name: str
    params: Mapping[str, Any]
    when: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Kind:
    """One kind of effect.

    makes_wet: whether it makes sound that is not the dry sound. is_linear: whether what it makes of a sum is the sum of what it makes of
    the parts. style: how a return of it is told apart in pictures; with
    `style_by` that depends on the choice that a parameter, the first of the two, makes. summary: what it does in one
    line; {NAME} is a parameter in words, {sides} those of both sides. starts: what to start from.
    """

    name: str
    label: str
    meaning: str
    makes_wet: bool
    parameters: tuple[Parameter, ...]
    style: str = "widen"
    style_by: tuple[str, Mapping[str, str]] | None = None
    summary: str = ""
    starts: tuple[Start, ...] = ()
    is_linear: bool = True
    by_name: Mapping[str, Parameter] = field(init=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "by_name", {parameter.name: parameter for parameter in self.parameters})

    def parameter(self, name: str) -> Parameter:
        """Return the parameter of that name; KeyError if there is none."""
        return self.by_name[name]

    def has(self, name: str) -> bool:
        """Whether the kind has a parameter of that name."""
        return name in self.by_name

    @property
    def source(self) -> Parameter | None:
        """The parameter that names a track or group which the effect listens to, if there is one."""
        return next((p for p in self.parameters if p.form is Form.ID), None)

    @property
    def response(self) -> Parameter | None:
        """The parameter that names an impulse response, if there is one."""
        return next((p for p in self.parameters if p.form is Form.PATH), None)

    @property
    def filters(self) -> Parameter | None:
        """The parameter that is a list of filters, if there is one."""
        return next((p for p in self.parameters if p.form is Form.LIST), None)
