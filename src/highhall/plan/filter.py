"""One filter."""

from dataclasses import dataclass
from typing import Annotated

from highhall.plan.kinds import FILTER_PARAMETERS, SHAPES


@dataclass(frozen=True, slots=True, kw_only=True)
class Filter:
    """One filter of a tone effect or of a group."""

    shape: Annotated[str, FILTER_PARAMETERS["shape"]]
    hz: Annotated[float, FILTER_PARAMETERS["hz"]]
    gain_db: Annotated[float, FILTER_PARAMETERS["gain_db"]] = FILTER_PARAMETERS["gain_db"].default
    q: Annotated[float, FILTER_PARAMETERS["q"]] = FILTER_PARAMETERS["q"].default
    slope_db_oct: Annotated[int, FILTER_PARAMETERS["slope_db_oct"]] = FILTER_PARAMETERS["slope_db_oct"].default
    on: Annotated[bool, FILTER_PARAMETERS["on"]] = FILTER_PARAMETERS["on"].default

    @property
    def label(self) -> str:
        """What its shape is called."""
        return SHAPES[self.shape].label

    @property
    def words(self) -> str:
        """What it does, in words: `bell 2.6 kHz −4.0 dB Q 2`; what is as in a new one is left out."""
        others = [name for name in SHAPES[self.shape].values if getattr(self, name) != FILTER_PARAMETERS[name].default]
        words = [
            self.label.lower(),
            FILTER_PARAMETERS["hz"].words(self.hz),
            *map(self.told, others),
            *(() if self.on else ("(off)",)),
        ]
        return " ".join(words)

    def told(self, name: str) -> str:
        """Return one of its values in words; a Q has no unit that would tell what it is."""
        parameter = FILTER_PARAMETERS[name]
        words = parameter.words(getattr(self, name))
        return words if parameter.symbol else f"{parameter.label} {words}"
