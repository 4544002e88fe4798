"""The hall drawn from above."""

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from hallweb.screens.hall.scale import PLAN, PLAN_HALF_PX, pan_x
from highhall.depth import DepthModel
from highhall.depth.placing import level_of
from highhall.depth.spaces import is_space
from highhall.plan import Plan, Track

SHAPES = ("disc", "square", "triangle", "diamond")
_LETTER_PX, _LABEL_PX, _GAP_PX, _MARK_PX = 6.9, 15.0, 10.0, 9.0
_LABELS_AT_MOST = 24
_APART_PX, _APART_AT_MOST = 17.0, 24
_WALLS = (110.0, 748.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Box:
    """A rectangle that is taken."""

    left: float
    right: float
    top: float
    bottom: float

    def meets(self, other: "Box") -> bool:
        """Whether two rectangles share something."""
        return (
            self.left < other.right and other.left < self.right and self.top < other.bottom and other.top < self.bottom
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class Token:
    """A source in the plan. label: its name and distance, where there is room for them; ghost: where it was, if anywhere.

    left, right: how far it reaches to the sides, dry sound and space together. live: what scripts need to let its sends follow a
    hand, as JSON; see `_live_sends`.
    """

    source: str
    name: str
    shape: str
    x: float
    y: float
    left: float
    right: float
    distance_m: float
    is_held: bool
    true_x: float
    enters: bool
    ghost_x: float | None
    ghost_y: float | None
    label_x: float | None = None
    label_y: float | None = None
    anchor: str = "start"
    says_enters: bool = False
    live: str = ""

    @property
    def is_apart(self) -> bool:
        """Whether it is drawn beside its place, for others are there."""
        return self.x != self.true_x

    @property
    def mark(self) -> str:
        """The outline of its mark."""
        return mark(self.shape, self.x, self.y, 7.0)

    @property
    def ghost(self) -> str:
        """The outline of where it was."""
        if self.ghost_x is None or self.ghost_y is None:
            return ""
        return mark(self.shape, self.ghost_x, self.ghost_y, 5.5)


_LISTENER = Box(left=414.0, right=502.0, top=340.0, bottom=368.0)


def mark(shape: str, x: float, y: float, radius: float) -> str:
    """Return the outline of a mark around a point."""
    r = radius
    match shape:
        case "disc":
            return f"M{x - r:.1f} {y:.1f}a{r} {r} 0 1 0 {2 * r} 0a{r} {r} 0 1 0 {-2 * r} 0Z"
        case "square":
            return f"M{x - 0.9 * r:.1f} {y - 0.9 * r:.1f}h{1.8 * r:.1f}v{1.8 * r:.1f}h{-1.8 * r:.1f}Z"
        case "triangle":
            return f"M{x:.1f} {y - 1.05 * r:.1f}l{1.1 * r:.1f} {1.9 * r:.1f}h{-2.2 * r:.1f}Z"
    return f"M{x:.1f} {y - 1.2 * r:.1f}l{1.1 * r:.1f} {1.2 * r:.1f}l{-1.1 * r:.1f} {1.2 * r:.1f}l{-1.1 * r:.1f} {-1.2 * r:.1f}Z"


def shapes_of(plan: Plan) -> dict[str, str]:
    """Return by track the shape of its group: the first three have one each, all others share one."""
    groups = [group.id for group in plan.groups]
    return {t.id: SHAPES[min(groups.index(t.group), 3)] if t.group else SHAPES[3] for t in plan.tracks}


def tokens_of(model: DepthModel, place: str | None, before: str | None, held: str) -> list[Token]:
    """Return the sources that sound in a section and are heard in a space, the loudest first, with labels where there is room.

    before: the section whose places are shown as ghosts.
    """
    plan, shapes = model.plan, shapes_of(model.plan)
    found = ((track, model.distance_m(track.id, place)) for track in plan.tracks)
    heard = [(track, distance) for track, distance in found if distance is not None]
    heard.sort(key=lambda each: -(model.readings[each[0].id, place].dry_power or 0.0))
    live = _live_sends(model, place)
    tokens = [
        replace(_token(model, track, distance, shapes[track.id], place, before, held), live=json.dumps(live[track.id]))
        for track, distance in heard
    ]
    return list(_labelled(list(_apart(tokens))))


def _live_sends(model: DepthModel, place: str | None) -> dict[str, dict[str, Any]]:
    """Return by track its sends into spaces with their levels, and what they and all else make, in powers over the dry one.

    While a source is dragged those sends are played so many dB louder that they and what stays make what is asked.
    """
    plan, number = model.plan, model.places.index(place)
    spaces = {return_.id for return_ in plan.returns if is_space(return_)}
    found: dict[str, dict[str, Any]] = {track.id: {"free": 0.0, "fixed": 0.0, "sends": []} for track in plan.tracks}
    for (track, (source, target), _), powers in model.send_powers.items():
        reading = model.readings[track, place]
        is_free = source == track and target in spaces
        over_dry = float(powers[number]) * reading.together / (reading.dry_power or 1.0)
        found[track]["free" if is_free else "fixed"] += over_dry
    for send in plan.sends:
        level = level_of(plan, (send.source, send.target), place)
        if send.source in found and send.target in spaces and send.on and level is not None:
            found[send.source]["sends"].append([send.target, level])
    return found


def _token(
    model: DepthModel, track: Track, distance: float, shape: str, place: str | None, before: str | None, held: str
) -> Token:
    x, reach = pan_x(track.pan), PLAN_HALF_PX * model.width_of(track.id, place)
    was = None if before is None else model.distance_m(track.id, before)
    ghost_y = None if was is None else PLAN.y(was)
    return Token(
        source=track.id,
        name=track.name,
        shape=shape,
        x=x,
        true_x=x,
        y=PLAN.y(distance),
        left=max(x - reach, pan_x(-1)),
        right=min(x + reach, pan_x(1)),
        distance_m=distance,
        is_held=track.id == held,
        enters=before is not None and ghost_y is None,
        ghost_x=None if ghost_y is None else x,
        ghost_y=ghost_y if ghost_y is not None and abs(ghost_y - PLAN.y(distance)) > 3 else None,
    )


def _apart(tokens: Sequence[Token]) -> Iterator[Token]:
    """Draw sources beside each other that are at one place."""
    taken: list[tuple[float, float]] = []
    for token in tokens:
        steps = sorted(range(-_APART_AT_MOST, _APART_AT_MOST + 1), key=lambda step: (abs(step), step < 0))
        places = (token.true_x + step * _APART_PX for step in steps)
        inside = (x for x in places if pan_x(-1) <= x <= pan_x(1))
        x = next((x for x in inside if not any(_is_near(x, token.y, place) for place in taken)), token.true_x)
        taken.append((x, token.y))
        yield replace(token, x=x)


def _is_near(x: float, y: float, place: tuple[float, float]) -> bool:
    return abs(x - place[0]) < _APART_PX - 1 and abs(y - place[1]) < _APART_PX - 4


def _labelled(tokens: Sequence[Token]) -> Iterator[Token]:
    """Give names to tokens, the held one first, then the loudest: beside them or over them, where nothing is yet."""
    marks = [Box(left=t.x - _MARK_PX, right=t.x + _MARK_PX, top=t.y - _MARK_PX, bottom=t.y + _MARK_PX) for t in tokens]
    taken = [_LISTENER, *marks, *(Box(left=t.left, right=t.right, top=t.y - 4, bottom=t.y + 4) for t in tokens)]
    given: dict[str, Token] = {}
    for token in sorted(tokens, key=lambda token: not token.is_held)[:_LABELS_AT_MOST]:
        width = _LETTER_PX * (len(token.name) + 7)
        for x, y, anchor in (
            (token.right + _GAP_PX, token.y + 4, "start"),
            (token.left - _GAP_PX, token.y + 4, "end"),
            (token.x, token.y - 14, "middle"),
            (token.x, token.y + 23, "middle"),
        ):
            left = {"start": x, "end": x - width, "middle": x - width / 2}[anchor]
            box = Box(left=left, right=left + width, top=y - _LABEL_PX + 3, bottom=y + 3)
            is_free = not any(box.meets(other) for other in taken)
            if is_free and box.left > _WALLS[0] and box.right < _WALLS[1]:
                taken.append(box)
                given[token.source] = replace(token, label_x=x, label_y=y, anchor=anchor)
                break
    for token in tokens:
        box = Box(left=token.left, right=token.left + 66, top=token.y - 19, bottom=token.y - 5)
        if token.enters and not any(box.meets(other) for other in taken):
            taken.append(box)
            given[token.source] = replace(given.get(token.source, token), says_enters=True)
    yield from (given.get(token.source, token) for token in tokens)


def legend(plan: Plan, shapes: Mapping[str, str]) -> list[tuple[str, str, str]]:
    """Return (shape, outline, name) of what the shapes stand for."""
    used = set(shapes.values())
    names = dict(zip(SHAPES, [group.name for group in plan.groups[:3]], strict=False))
    names[SHAPES[3]] = "others" if len(used) > 1 else "instruments"
    return [(shape, mark(shape, 6, 6, 4.5), name) for shape, name in names.items() if shape in used]
