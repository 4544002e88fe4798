"""Moves from JSON. What a value may be depends on what is moved: `references` checks that."""

from collections.abc import Mapping

from highhall.plan.model import (
    Move,
    MoveValue,
    Point,
    ReturnTarget,
    SectionValue,
    SendTarget,
    StepTarget,
    Target,
    Throw,
)
from highhall.plan.parse_values import FIRST, NO_TIME, read_position, read_time
from highhall.plan.reader import Node
from highhall.timing import parse_time_value


def read_move(node: Node) -> Move:
    """Return one move."""
    fields = node.fields(["target"], ["sections", "points", "throws"])
    return Move(
        target=_target(fields["target"]) if "target" in fields else ReturnTarget(target="", param=""),
        sections=tuple(map(_section_value, fields["sections"].items())) if "sections" in fields else (),
        points=tuple(map(_point, fields["points"].items())) if "points" in fields else (),
        throws=tuple(map(_throw, fields["throws"].items())) if "throws" in fields else (),
    )


def _target(node: Node) -> Target:
    value = node.value if isinstance(node.value, dict) else {}
    if "send" in value:
        fields = node.fields(["send", "param"], [])
        pair = [item.text(1, 64) for item in fields["send"].items(2, 2)] + ["", ""]
        param = fields["param"].text(1, 64) if "param" in fields else ""
        return SendTarget(source=pair[0], target=pair[1], param=param)
    fields = node.fields(["return", "param"], ["step"])
    target = fields["return"].text(1, 64) if "return" in fields else ""
    param = fields["param"].text(1, 64) if "param" in fields else ""
    if "step" in fields:
        return StepTarget(target=target, step=fields["step"].text(1, 64), param=param)
    return ReturnTarget(target=target, param=param)


def _section_value(node: Node) -> SectionValue:
    fields = node.fields(["section", "value"], ["ramp", "ramp_side"])
    return SectionValue(
        section=fields["section"].text(1, 64) if "section" in fields else "",
        value=_move_value(fields),
        ramp=read_time(fields["ramp"]) if "ramp" in fields else None,
        ramp_side=fields["ramp_side"].choice(["before", "after"]) if "ramp_side" in fields else "before",
    )


def _point(node: Node) -> Point:
    fields = node.fields(["at", "value"], ["shape"])
    return Point(
        at=read_position(fields["at"]) if "at" in fields else FIRST,
        value=_move_value(fields),
        shape=fields["shape"].choice(["linear", "hold"]) if "shape" in fields else "linear",
    )


def _throw(node: Node) -> Throw:
    fields = node.fields(["at", "length", "value"], ["ramp_in", "ramp_out"])
    return Throw(
        at=read_position(fields["at"]) if "at" in fields else FIRST,
        length=read_time(fields["length"]) if "length" in fields else NO_TIME,
        value=_move_value(fields),
        ramp_in=read_time(fields["ramp_in"]) if "ramp_in" in fields else None,
        ramp_out=read_time(fields["ramp_out"]) if "ramp_out" in fields else None,
    )


def _move_value(fields: Mapping[str, Node]) -> MoveValue:
    """Read a moved value as it stands; `references` checks it against what is moved."""
    if "value" not in fields:
        return None
    value = fields["value"].value
    if value is None or isinstance(value, bool):
        return value
    if isinstance(value, (int, float)):
        return float(value)
    if isinstance(value, str):
        return fields["value"].parsed(parse_time_value, NO_TIME)
    fields["value"].refuse("expected a number, a time value, true, false or null")
    return None
