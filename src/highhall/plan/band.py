"""One filter."""

from dataclasses import dataclass
from typing import Annotated

from highhall.plan.kinds import BANDS, SHAPES


@dataclass(frozen=True, slots=True, kw_only=True)
class Band:
    """One filter of a tone effect or of a group."""

    shape: Annotated[str, BANDS["shape"]]
    hz: Annotated[float, BANDS["hz"]]
    gain_db: Annotated[float, BANDS["gain_db"]] = BANDS["gain_db"].default
    q: Annotated[float, BANDS["q"]] = BANDS["q"].default
    slope_db_oct: Annotated[int, BANDS["slope_db_oct"]] = BANDS["slope_db_oct"].default
    on: Annotated[bool, BANDS["on"]] = BANDS["on"].default

    @property
    def label(self) -> str:
        """What its shape is called."""
        return SHAPES[self.shape].label

    @property
    def words(self) -> str:
        """What it does, in words: `bell 2.6 kHz −4.0 dB Q 2`; what is as in a new one is left out."""
        others = [name for name in SHAPES[self.shape].values if getattr(self, name) != BANDS[name].default]
        words = [
            self.label.lower(),
            BANDS["hz"].words(self.hz),
            *map(self.told, others),
            *(() if self.on else ("(off)",)),
        ]
        return " ".join(words)

    def told(self, name: str) -> str:
        """Return one of its values in words; a Q has no unit that would tell what it is."""
        parameter = BANDS[name]
        words = parameter.words(getattr(self, name))
        return words if parameter.symbol else f"{parameter.label} {words}"
