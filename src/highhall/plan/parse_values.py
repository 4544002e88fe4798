"""The small values of a plan: ids, names, levels, positions, times, paths."""

import re
from collections.abc import Mapping
from pathlib import PurePosixPath

from highhall.plan.kinds import LEVEL, Parameter
from highhall.plan.reader import Node
from highhall.timing import Milliseconds, Position, TimeValue, parse_time_value

FIRST = Position(1)
NO_TIME: TimeValue = Milliseconds(0.0)
_ID_PATTERN = re.compile(r"[a-z0-9-]{1,64}")


def free_id(wanted: str, taken: set[str]) -> str:
    """Return `wanted`, or `wanted-2`, `wanted-3` ... if that is taken."""
    candidate, count = wanted, 1
    while candidate in taken:
        count += 1
        candidate = f"{wanted}-{count}"
    return candidate


def read_id(fields: Mapping[str, Node]) -> str:
    """Return an id, from the member "id"."""
    if "id" not in fields:
        return ""
    node = fields["id"]
    if not isinstance(node.value, str) or not _ID_PATTERN.fullmatch(node.value):
        node.refuse(f"expected an id of 1 to 64 lower-case letters, digits and hyphens, got {node.value!r}")
        return ""
    return node.value


def read_name(fields: Mapping[str, Node], fallback: str) -> str:
    """Return a name, or what stands for it."""
    return fields["name"].text() if "name" in fields else fallback


def read_level(fields: Mapping[str, Node]) -> float | None:
    """Return a level in dB; None is silence."""
    if "level_db" not in fields:
        return 0.0
    if fields["level_db"].value is None:
        return None
    return fields["level_db"].number(LEVEL.low, LEVEL.high, LEVEL.allowed)


def read_number(fields: Mapping[str, Node], parameter: Parameter) -> float:
    """Return a member that is a number of the table, or its default."""
    if parameter.name in fields:
        return fields[parameter.name].number(parameter.low, parameter.high, parameter.allowed)
    return float(parameter.default or 0.0)


def read_position(node: Node) -> Position:
    """Return a position."""
    return node.parsed(Position.parse, FIRST)


def read_path(node: Node) -> str:
    """Return a path that stays inside the plan's folder."""
    text = node.text(1, 1024)
    path = PurePosixPath(text)
    if path.is_absolute() or ".." in path.parts or "\\" in text or re.match(r"[A-Za-z]:", text):
        node.refuse(f'expected a path inside the plan\'s folder, with "/" and without "..", got "{text}"')
    return text


def read_time(node: Node, parameter: Parameter | None = None) -> TimeValue:
    """Return a time value, within the limits of a parameter if one is given."""
    value: TimeValue = node.parsed(parse_time_value, NO_TIME)
    if parameter and isinstance(value, Milliseconds) and not parameter.low <= value.ms <= parameter.high:
        node.refuse(f"expected {parameter.allowed}, got {value}")
    return value
