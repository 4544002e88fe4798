"""The one table of step kinds and their parameters.

Validation, JSON Schema, form fields and the page `docs/kinds.md` all follow from it.
"""

from highhall.plan.kinds.parameter import MAXIMUM_BANDS, Kind, Parameter, ParameterType, Scale
from highhall.plan.kinds.table import (
    BAND_PARAMETERS,
    BAND_SHAPES,
    CUT_SLOPES_DB_OCT,
    KINDS,
    LEVEL,
    MUTE,
    ON,
    PAN,
    RETURN_MOVABLE,
    SEND_MOVABLE,
    SPACES,
    WIDTH,
)

__all__ = [
    "BAND_PARAMETERS",
    "BAND_SHAPES",
    "CUT_SLOPES_DB_OCT",
    "KINDS",
    "LEVEL",
    "MAXIMUM_BANDS",
    "MUTE",
    "ON",
    "PAN",
    "RETURN_MOVABLE",
    "SEND_MOVABLE",
    "SPACES",
    "WIDTH",
    "Kind",
    "Parameter",
    "ParameterType",
    "Scale",
]
