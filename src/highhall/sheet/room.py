"""How much fits on a leaf: lines that a text takes, and rows packed into leaves by their height."""

import textwrap
from collections.abc import Callable, Iterable, Sequence
from typing import TypeVar

_LINE_MM, _EDGE_MM = 3.6, 0.9
LEAF_MM = 103.0
"""What a leaf holds under its header, on the lower of the papers."""

_Item = TypeVar("_Item")


def lines(text: str, letters: int) -> int:
    """Return how many lines a text takes where so many letters stand in a line."""
    return max(len(textwrap.wrap(text, max(letters, 4))), 1)


def row_mm(*cells: tuple[str, int]) -> float:
    """Return the height of a row: each cell's text, and how many letters stand in a line of it."""
    return max((lines(text, letters) for text, letters in cells), default=1) * _LINE_MM + _EDGE_MM


def packed(items: Iterable[_Item], height: Callable[[_Item], float], room: float = LEAF_MM) -> list[list[_Item]]:
    """Return items in leaves, each as full as its room allows; an item that is higher than that has one of its own."""
    leaves: list[list[_Item]] = []
    used = room
    for item in items:
        needed = height(item)
        if used + needed > room or not leaves:
            leaves.append([])
            used = 0.0
        leaves[-1].append(item)
        used += needed
    return leaves


def part_words(number: int, parts: Sequence[object]) -> str:
    """Return which part of several a leaf is; nothing for the only one."""
    return f"part {number} of {len(parts)}" if len(parts) > 1 else ""
