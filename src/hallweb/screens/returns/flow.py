"""Who feeds what, and what reaches main: the routing of a song drawn as a flow from left to right."""

from dataclasses import dataclass, replace

from hallweb.screens.common.charts import Style, styles
from highhall.plan import MAIN, Plan
from highhall.plan.order import return_stages

_ROW, _TOP = 34, 12
_SOURCE_X, _SOURCE_W = 0, 168
_STAGE_X, _STAGE_W, _STAGE_GAP = 236, 148, 56
_END_W = 132
_TURN = 52


@dataclass(frozen=True, slots=True, kw_only=True)
class FlowBox:
    """A box: tracks of one group, a return, a group, or main. `opens` is the strip that it leads to."""

    id: str
    name: str
    detail: str
    x: float
    y: float
    width: float
    opens: str = ""
    style: Style | None = None

    @property
    def middle(self) -> float:
        """Half way down."""
        return self.y + 13


@dataclass(frozen=True, slots=True, kw_only=True)
class FlowLine:
    """A line from one box to another; `kind` is feed, onward or out, `words` says it."""

    d: str
    kind: str
    words: str
    tint: str
    is_off: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class FlowPicture:
    """The whole drawing."""

    boxes: list[FlowBox]
    lines: list[FlowLine]
    width: float
    height: float


def flow_picture(plan: Plan) -> FlowPicture:
    """Return sources on the left, returns in the order in which they feed each other, groups and main on the right.

    Every return has a row of its own, so that no line has to pass behind another return's box.
    """
    style = styles(plan.returns)
    stages = return_stages(plan)
    rows = [(column, return_id) for column, stage in enumerate(stages) for return_id in stage]
    returns = {
        return_id: FlowBox(
            id=return_id, name=plan.return_(return_id).name, detail=style[return_id].kind, opens=return_id, style=style[return_id],
            x=_STAGE_X + column * (_STAGE_W + _STAGE_GAP), y=_TOP + row * _ROW, width=_STAGE_W,
        )
        for row, (column, return_id) in enumerate(rows)
    }  # fmt: skip
    end_x = _STAGE_X + max(len(stages), 1) * (_STAGE_W + _STAGE_GAP) + 12
    ends = [(f"out-{g.id}", g.name, g.id) for g in plan.groups if any(r.output == g.id for r in plan.returns)]
    outputs = [
        FlowBox(id=key, name=name, detail="group" if opens else "", x=end_x, y=0, width=_END_W, opens=opens)
        for key, name, opens in [*ends, (MAIN, "Main", "")]
    ]
    boxes = {**_spread(_sources(plan), len(rows)), **returns, **_spread(outputs, len(rows))}
    lines = [*_feed_lines(plan, boxes, style), *_out_lines(plan, boxes, style)]
    height = max(box.y for box in boxes.values()) + _ROW + 4
    return FlowPicture(boxes=list(boxes.values()), lines=lines, width=end_x + _END_W + 4, height=height)


def _spread(boxes: list[FlowBox], rows: int) -> dict[str, FlowBox]:
    """Return boxes of one column, set apart over the height of so many rows."""
    pitch = max((rows - 1) / max(len(boxes), 1), 1.0) * _ROW
    top = _TOP + max((rows - 1) * _ROW - (len(boxes) - 1) * pitch, 0) / 2
    return {box.id: replace(box, y=top + row * pitch) for row, box in enumerate(boxes)}


def _sources(plan: Plan) -> list[FlowBox]:
    """Return a box for the tracks of each group and one for those without a group, if they feed anything."""
    boxes: list[FlowBox] = []
    fed = {send.source for send in plan.sends}
    for key, name in [*((g.id, g.name) for g in plan.groups), ("", "No group")]:
        tracks = [t for t in plan.tracks if (t.group or "") == key]
        feeding = [t for t in tracks if t.id in fed]
        if not feeding and key not in fed:
            continue
        detail = f"{len(feeding)} of {len(tracks)} tracks feed"
        boxes.append(FlowBox(id=f"in-{key}", name=name, detail=detail, x=_SOURCE_X, y=0, width=_SOURCE_W, opens=key))
    return boxes


def _feed_lines(plan: Plan, boxes: dict[str, FlowBox], style: dict[str, Style]) -> list[FlowLine]:
    groups = {track.id: f"in-{track.group or ''}" for track in plan.tracks} | {g.id: f"in-{g.id}" for g in plan.groups}
    names = plan.names
    bundles: dict[tuple[str, str], list[tuple[str, bool]]] = {}
    for send in plan.sends:
        start = send.source if send.source in style else groups[send.source]
        bundles.setdefault((start, send.target), []).append((names[send.source], send.on))
    return [
        FlowLine(
            d=_inward(boxes[start], boxes[target]),
            kind="onward" if start in style else "feed",
            words=f"{', '.join(name for name, _ in feeds)} to {boxes[target].name}",
            tint=style[target].tint,
            is_off=not any(is_on for _, is_on in feeds),
        )
        for (start, target), feeds in bundles.items()
    ]


def _out_lines(plan: Plan, boxes: dict[str, FlowBox], style: dict[str, Style]) -> list[FlowLine]:
    lines = []
    for return_ in plan.returns:
        end = boxes[MAIN if return_.output == MAIN else f"out-{return_.output}"]
        words = f"{return_.name} to {end.name}"
        d = _outward(boxes[return_.id], end)
        lines.append(FlowLine(d=d, kind="out", words=words, tint=style[return_.id].tint, is_off=return_.mute))
    return lines


def _inward(start: FlowBox, end: FlowBox) -> str:
    """Return the way into a return: to its row right behind the start, then along that row, where no other box is."""
    x = start.x + start.width
    return f"M{x:g} {start.middle:g}{_bend(x, start.middle, min(x + _TURN, end.x), end.middle)}H{end.x:g}"


def _outward(start: FlowBox, end: FlowBox) -> str:
    """Return the way out of a return: along its own row, then to the end's."""
    x = max(end.x - _TURN, start.x + start.width)
    return f"M{start.x + start.width:g} {start.middle:g}H{x:g}{_bend(x, start.middle, end.x, end.middle)}"


def _bend(x: float, y: float, to_x: float, to_y: float) -> str:
    half = (to_x - x) / 2
    return f"C{x + half:g} {y:g} {to_x - half:g} {to_y:g} {to_x:g} {to_y:g}"
