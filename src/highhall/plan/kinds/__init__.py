"""The one table of kinds of effect and their parameters.

All that is known about a value stands in its row: what it is called, its unit and range, how it is read and written,
what it refers to, whether and how it moves. Reader, writer, schema, fields, pictures, comparisons and keys follow from it.
"""

from highhall.plan.kinds.faders import (
    LEVEL,
    MUTE,
    ON,
    PAN,
    RETURN_MOVABLE,
    SEND_MOVABLE,
    SEND_POINT,
    START,
    WIDTH,
    read_level,
    read_pan,
)
from highhall.plan.kinds.filters import CUT_SLOPES_DB_OCT, FILTER_PARAMETERS, SHAPES, Shape, filter_params
from highhall.plan.kinds.parameter import MAXIMUM_FILTERS, Kind, Parameter, Scale, Start
from highhall.plan.kinds.spaces import SPACES
from highhall.plan.kinds.table import KINDS

__all__ = [
    "CUT_SLOPES_DB_OCT",
    "FILTER_PARAMETERS",
    "KINDS",
    "LEVEL",
    "MAXIMUM_FILTERS",
    "MUTE",
    "ON",
    "PAN",
    "RETURN_MOVABLE",
    "SEND_MOVABLE",
    "SEND_POINT",
    "SHAPES",
    "SPACES",
    "START",
    "WIDTH",
    "Kind",
    "Parameter",
    "Scale",
    "Shape",
    "Start",
    "filter_params",
    "read_level",
    "read_pan",
]
