"""The hall drawn from the side: the song from front to back."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from hallweb.screens.hall.pictures import shapes_of
from hallweb.screens.hall.scale import LONG
from highhall.depth import DepthModel
from highhall.depth.drafting import NO_FACTORS
from highhall.plan import Section

_LEFT, _RIGHT = 82.0, 742.0
_WALL_PX, _FLOOR_Y = 7.0, 173.0


@dataclass(frozen=True, slots=True, kw_only=True)
class LongBox:
    """A section in the long section: its stretch, the farthest sound in it, and how many times as deep it is proposed to be."""

    id: str
    name: str
    x: float
    width: float
    roof: float
    farthest_m: float | None
    is_shown: bool
    short_name: str
    factor: float | None = None

    @property
    def half(self) -> float:
        """Half of its width."""
        return self.width / 2


@dataclass(frozen=True, slots=True, kw_only=True)
class LongLine:
    """A source through the song: stretches that are drawn, and where its name stands at the end, if there is room."""

    source: str
    name: str
    shape: str
    path: str
    is_held: bool
    end_y: float
    label_y: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class LongSection:
    """The song from front to back."""

    boxes: Sequence[LongBox]
    lines: Sequence[LongLine]
    room: str
    wall: str


def long_section(
    model: DepthModel,
    sections: Sequence[Section],
    shown: str | None,
    held: str,
    factors: Mapping[str, float] = NO_FACTORS,
) -> LongSection:
    """Return the long section of a song; the roof is the farthest sound, the floor the listener."""
    plan, time, end = model.plan, model.plan.song.time, model.plan.song.end_sample

    def x_of(section: Section, *, is_end: bool) -> float:
        sample = time.sample_at(section.end if is_end else section.start)
        return _LEFT + (_RIGHT - _LEFT) * sample / end

    boxes = []
    for section in sections:
        found = [model.distance_m(track.id, section.id) for track in plan.tracks]
        farthest = max((distance for distance in found if distance is not None), default=None)
        start, stop = x_of(section, is_end=False), x_of(section, is_end=True)
        boxes.append(
            LongBox(
                id=section.id,
                name=section.name,
                x=start,
                width=stop - start,
                roof=LONG.y(1.3 * farthest) if farthest else LONG.y(1.3),
                farthest_m=farthest,
                is_shown=section.id == shown,
                short_name=section.name if len(section.name) * 6.2 < stop - start else "",
                factor=factors.get(section.id),
            )
        )
    lines = list(_lines(model, sections, boxes, held))
    return LongSection(boxes=boxes, lines=lines, room=_outline(boxes, 0.0), wall=_outline(boxes, _WALL_PX))


def _outline(boxes: Sequence[LongBox], by: float) -> str:
    """Return the room's outline, so many pixels outside of its clear size."""
    if not boxes:
        return ""
    points = [(boxes[0].x - by, _FLOOR_Y)]
    for box in boxes:
        points += [(box.x - (by if box is boxes[0] else 0), box.roof - by)]
        points += [(box.x + box.width + (by if box is boxes[-1] else 0), box.roof - by)]
    points.append((boxes[-1].x + boxes[-1].width + by, _FLOOR_Y))
    return "M" + "L".join(f"{x:.1f} {y:.1f}" for x, y in points) + "Z"


def _lines(model: DepthModel, sections: Sequence[Section], boxes: Sequence[LongBox], held: str) -> Iterator[LongLine]:
    shapes = shapes_of(model.plan)
    ends: list[float] = []
    drawn = []
    for track in model.plan.tracks:
        path, last, at = [], None, None
        for section, box in zip(sections, boxes, strict=True):
            distance = model.distance_m(track.id, section.id)
            if distance is None:
                at = None
                continue
            y = LONG.y(distance)
            path.append(f"{'M' if at is None else 'L'}{box.x:.1f} {y:.1f}H{box.x + box.width:.1f}")
            at = last = y
        if last is not None:
            drawn.append((track, "".join(path), last))
    for track, path_text, y in sorted(drawn, key=lambda each: (each[0].id != held, each[2])):
        free = all(abs(y - other) > 13 for other in ends)
        if free or track.id == held:
            ends.append(y)
        yield LongLine(
            source=track.id,
            name=track.name,
            shape=shapes[track.id],
            path=path_text,
            is_held=track.id == held,
            end_y=y,
            label_y=y + 4 if free or track.id == held else None,
        )
