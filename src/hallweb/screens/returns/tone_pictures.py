"""Filters as a curve, with what can be held on it."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from hallweb.screens.returns.filter_labels import Label, placed_labels
from hallweb.screens.returns.handles import Drag, Handle, drag_from
from highhall.effects.tone import response_db
from highhall.plan import Filter, Return
from highhall.plan.kinds import FILTER_PARAMETERS, SHAPES
from highhall.wording import figure, hertz_in_words

LOW_HZ, HIGH_HZ = 40.0, 16000.0
TOP_DB, SPAN_DB = 12.0, 48.0
LARGE, SMALL = (428, 168), (92, 40)
_COLUMNS = (
    (50, "50"),
    (100, "100"),
    (200, "200"),
    (500, "500"),
    (1000, "1k"),
    (2000, "2k"),
    (5000, "5k"),
    (10000, "10k"),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class FilterMark:
    """A filter on the curve."""

    x: float
    y: float
    name: str
    figures: str
    label: Label


@dataclass(frozen=True, slots=True, kw_only=True)
class TonePicture:
    """A chain's filters as a curve, with handles in the large picture."""

    points: str
    area: str
    marks: list[FilterMark]
    handles: list[Handle]
    lines: list[tuple[float, str]]
    columns: list[tuple[float, str]]
    width: int
    height: int
    held: str = ""

    @property
    def is_flat(self) -> bool:
        """Whether no filter acts."""
        return not self.marks

    @property
    def words(self) -> str:
        """What the picture shows, for those who do not see it."""
        return (
            "Filters: " + ", ".join(f"{mark.name} {mark.figures}" for mark in self.marks) if self.marks else "No filter"
        )

    @property
    def holding(self) -> Handle | None:
        """The handle that is being dragged."""
        return next((h for h in self.handles if h.main.path == self.held), None)


PathFilters = Sequence[tuple[str, Filter]]
"""Filters, each with the path of its values, such as filter/tone/0."""


def filters_of(return_: Return) -> PathFilters:
    """Return the filters of a return's tone effects that are on."""
    return [(f"filter/{s.id}/{i}", filter_) for s in return_.chain if s.on for i, filter_ in enumerate(s.filters)]


def tone_x(hz: float, width: float) -> float:
    """Return where a frequency lies in a picture so wide."""
    return float(np.log(hz / LOW_HZ) / np.log(HIGH_HZ / LOW_HZ) * width)


def tone_y(db: float, height: float) -> float:
    """Return where a level lies in a picture so high."""
    return float(np.clip((TOP_DB - db) / SPAN_DB * height, 0, height))


def tone_picture(filters: PathFilters, sample_rate: int, size: tuple[int, int] = LARGE, held: str = "") -> TonePicture:
    """Return the summed curve of filters, +12 to -36 dB, 40 Hz to 16 kHz."""
    width, height = size
    acting = [(path, filter_) for path, filter_ in filters if filter_.on]
    only = [filter_ for _, filter_ in acting]
    frequencies = np.geomspace(LOW_HZ, HIGH_HZ, max(width // 3, 24))
    levels = response_db(only, frequencies, sample_rate)
    at_filters = response_db(only, np.array([filter_.hz for filter_ in only]), sample_rate)
    curve = [(tone_x(hz, width), tone_y(db, height)) for hz, db in zip(frequencies, levels, strict=True)]
    points = " ".join(f"{x:.1f},{y:.1f}" for x, y in curve)
    places = [
        (path, filter_, tone_x(min(max(filter_.hz, LOW_HZ), HIGH_HZ), width), tone_y(float(db), height))
        for (path, filter_), db in zip(acting, at_filters, strict=True)
    ]
    return TonePicture(
        points=points,
        area=f"0,{height} {points} {width},{height}",
        marks=_marks([place[1:] for place in places], curve, width),
        handles=[_handle(path, filter_, x, y, size) for path, filter_, x, y in places] if size == LARGE else [],
        lines=[(tone_y(db, height), figure(db, 0)) for db in (0, -12, -24)],
        columns=[(tone_x(hz, width), text) for hz, text in _COLUMNS],
        width=width,
        height=height,
        held=held,
    )


def _marks(
    places: Sequence[tuple[Filter, float, float]], curve: Sequence[tuple[float, float]], width: int
) -> list[FilterMark]:
    names = [(f"{each.label} {hertz_in_words(each.hz)}", _detail(each)) for each, _, _ in places]
    texts = [(x, f"{name} {figures}") for (_, x, _), (name, figures) in zip(places, names, strict=True)]
    return [
        FilterMark(x=x, y=y, name=name, figures=figures, label=label)
        for (_, x, y), (name, figures), label in zip(places, names, placed_labels(texts, curve, width), strict=True)
    ]


def _detail(filter_: Filter) -> str:
    """Return what of a filter's values is written beside it: its slope, its gain, or else its Q."""
    return filter_.told(SHAPES[filter_.shape].values[0])


def _handle(path: str, filter_: Filter, x: float, y: float, size: tuple[int, int]) -> Handle:
    hz, gain = FILTER_PARAMETERS["hz"], FILTER_PARAMETERS["gain_db"]
    across = Drag(
        path=f"{path}/hz", start=LOW_HZ, end=HIGH_HZ, size=size[0], step=2, unit="Hz", number=filter_.hz,
        low=hz.low, high=hz.high, is_log=True,
    )  # fmt: skip
    upward = None
    if SHAPES[filter_.shape].has_gain:
        upward = drag_from(
            f"{path}/gain_db", at_px=y, value=filter_.gain_db, per_px=-SPAN_DB / size[1], size=size[1], step=0.5, unit="dB",
            low=gain.low, high=gain.high,
        )  # fmt: skip
    return Handle(
        name=filter_.label, text=f"{hertz_in_words(filter_.hz)}, {_detail(filter_)}",
        shape="diamond" if upward else "round", x=x, y=y, across=across, upward=upward,
    )  # fmt: skip
