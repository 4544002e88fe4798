"""What a kind of step is, and what one of its parameters is."""

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

MAXIMUM_BANDS = 8


class ParameterType(StrEnum):
    """How a parameter's value is written in JSON."""

    NUMBER = "number"
    WHOLE_NUMBER = "whole number"
    CHOICE = "choice"
    FLAG = "flag"
    TIME = "time value"
    RATE = "rate in Hz or note value"
    PATH = "path"
    BANDS = "list of bands"


class Scale(StrEnum):
    """The unit in which a moved value runs from one place to the next."""

    LINEAR = "linear"
    LOGARITHMIC = "logarithmic"
    LEVEL = "level"
    SWITCH = "switch"
    TIME = "time"


@dataclass(frozen=True, slots=True, kw_only=True)
class Parameter:
    """One row of the table. `low` and `high` are in `unit`, for times in milliseconds.

    `null_acts_as` is the value that null stands for where it moves to or from another. `step` is what one press of an
    arrow key changes, in `unit`, or the factor where the scale is logarithmic; 0 where there are choices or notes.
    `typical` values and `advice` are for people.
    """

    name: str
    meaning: str
    type: ParameterType = ParameterType.NUMBER
    unit: str = ""
    low: float = 0.0
    high: float = 1.0
    default: float | str | bool | None = None
    by_space: Mapping[str, float] | None = None
    choices: tuple[str, ...] = ()
    is_required: bool = False
    is_movable: bool = False
    may_be_null: bool = False
    null_acts_as: float = 0.0
    scale: Scale = Scale.LINEAR
    step: float = 0.0
    typical: str = ""
    advice: str = ""

    @property
    def allowed(self) -> str:
        """What may be written, in words that end a sentence."""
        if self.type is ParameterType.CHOICE:
            words = "one of " + ", ".join(self.choices)
        elif self.type is ParameterType.FLAG:
            words = "true or false"
        elif self.type is ParameterType.PATH:
            words = "a path relative to the plan's folder"
        elif self.type is ParameterType.BANDS:
            words = f"a list of up to {MAXIMUM_BANDS} bands"
        elif self.type is ParameterType.TIME:
            words = (
                f'a note value such as "1/8." or milliseconds such as "375ms", from {self.low:g} to {self.high:g} ms'
            )
        elif self.type is ParameterType.RATE:
            words = f'a number from {self.low:g} to {self.high:g} Hz, or a note value such as "1/4"'
        else:
            kind = "a whole number" if self.type is ParameterType.WHOLE_NUMBER else "a number"
            words = f"{kind} from {self.low:g} to {self.high:g}" + (f" {self.unit}" if self.unit else "")
        return words + (" or null" if self.may_be_null else "")


@dataclass(frozen=True, slots=True)
class Kind:
    """One kind of step: its parameters and whether it makes sound that is not the dry sound."""

    name: str
    meaning: str
    parameters: tuple[Parameter, ...]
    makes_wet: bool

    def parameter(self, name: str) -> Parameter:
        """Return the parameter of that name; KeyError if there is none."""
        return next(p for p in self.parameters if p.name == name) if self.has(name) else _missing(name)

    def has(self, name: str) -> bool:
        """Whether the kind has a parameter of that name."""
        return any(parameter.name == name for parameter in self.parameters)


def _missing(name: str) -> Parameter:
    raise KeyError(name)
