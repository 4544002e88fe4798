"""One filter."""

from dataclasses import dataclass
from typing import Annotated

from highhall.plan.kinds import BANDS, SHAPES
from highhall.wording import decibels_in_words, hertz_in_words


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
        """What it does, in words: `bell 2.6 kHz −4.0 dB`."""
        gain = f" {decibels_in_words(self.gain_db)}" if self.gain_db else ""
        return f"{self.label.lower()} {hertz_in_words(self.hz)}{gain}{'' if self.on else ' (off)'}"
