"""Prints: parts of a song as files that start together, have one length and sum to the whole."""

from highhall.prints.checking import check_prints
from highhall.prints.options import PrintOptions
from highhall.prints.parts import DEFAULT_KINDS, KINDS, Part, part_of, parts_of
from highhall.prints.printing import PrintSummary, print_plan

__all__ = [
    "DEFAULT_KINDS",
    "KINDS",
    "Part",
    "PrintOptions",
    "PrintSummary",
    "check_prints",
    "part_of",
    "parts_of",
    "print_plan",
]
