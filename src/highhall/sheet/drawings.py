"""The pictures of a sheet: black lines and hatches, to scale."""

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from fractions import Fraction

import numpy as np

from highhall.measure.pictures import ENVELOPE_S, Picture
from highhall.measure.predictions import chain_response_db
from highhall.plan import MAIN, Plan, Return
from highhall.plan.order import return_stages
from highhall.sheet.paths import Paths
from highhall.timing import Position
from highhall.wording import figure, hertz_in_words, seconds_in_words

_FLOOR_DB = -60.0
_LOW_HZ, _HIGH_HZ = 40.0, 18000.0
_TONE_DB = 24.0


@dataclass(frozen=True, slots=True)
class Word:
    """A word in a picture: where, and on which side of that."""

    text: str
    x: float
    y: float
    anchor: str = "middle"


@dataclass(slots=True)
class Picture2d(Paths):
    """A picture of a sheet, in tenths of a millimetre. label: what it shows."""

    label: str = field(kw_only=True)
    words: list[Word] = field(default_factory=list)

    def say(self, text: str, x: float, y: float, anchor: str = "middle") -> None:
        """Write a word."""
        self.words.append(Word(text, x, y, anchor))


def time_drawing(picture: Picture, plan: Plan) -> Picture2d:
    """Return what a return makes of a hit along time, over the beats of the song's start, down to -60 dB."""
    drawing = Picture2d(1080, 380, label="what it makes of a hit, in time")
    levels = 20 * np.log10(np.maximum(picture.envelope.max(axis=0), 1e-9))
    levels = levels - levels.max()
    loud = np.flatnonzero(levels > _FLOOR_DB)
    ends_s = (int(loud[-1]) + 1) * ENVELOPE_S if loud.size else ENVELOPE_S
    left, right, top, floor = 60.0, 1060.0, 40.0, 320.0
    x = _scale(0.0, ends_s * 1.04, left, right)
    y = _scale(_FLOOR_DB, 0.0, floor, top)
    for step in (-20.0, -40.0):
        drawing.line("fine", (left, y(step)), (right, y(step)))
        drawing.say(figure(step, 0), left - 8, y(step) + 9, "end")
    beat_s = plan.song.time.seconds_at(Position(1, Fraction(2))) if plan.song.meters[0].beats > 1 else 0.5
    every = 2 ** max(math.ceil(math.log2(ends_s / beat_s / 8)), -2)
    for count in range(1, int(ends_s / (beat_s * every)) + 1):
        at = x(count * every * beat_s)
        drawing.line("fine", (at, floor), (at, top))
        drawing.say(_beats(count * every) if count == 1 else f"{count * every:g}", at, top - 10)
    columns = np.array_split(np.arange(len(levels[: int(ends_s / ENVELOPE_S) + 1])), 240)
    drawn = [
        (x(float(each[0]) * ENVELOPE_S), y(max(float(levels[each].max()), _FLOOR_DB))) for each in columns if each.size
    ]
    drawing.area("hatch", drawn, floor)
    drawing.line("ink", (left, floor), (right, floor))
    drawing.line("ink", (left, floor), (left, top))
    _dimension(drawing, left, x(ends_s), floor + 26, f"60 dB in {seconds_in_words(ends_s)}")
    return drawing


def tone_drawing(return_: Return, sample_rate: int) -> Picture2d:
    """Return what the filters of a return do by frequency, 24 dB up and down."""
    drawing = Picture2d(700, 380, label="what its filters do, by frequency")
    left, right, top, floor = 60.0, 690.0, 40.0, 320.0
    x = _scale(math.log(_LOW_HZ), math.log(_HIGH_HZ), left, right)
    y = _scale(-_TONE_DB, _TONE_DB / 2, floor, top)
    hz = np.geomspace(_LOW_HZ, min(_HIGH_HZ, 0.45 * sample_rate), 160)
    levels = np.clip(chain_response_db(return_, hz, sample_rate), -_TONE_DB, _TONE_DB / 2)
    drawing.area("hatch", [(x(math.log(f)), y(float(db))) for f, db in zip(hz, levels, strict=True)], floor)
    for each in (100.0, 1000.0, 10000.0):
        drawing.line("fine", (x(math.log(each)), floor), (x(math.log(each)), top))
        drawing.say(hertz_in_words(each), x(math.log(each)), floor + 34)
    for step in (0.0, -12.0):
        drawing.line("fine", (left, y(step)), (right, y(step)))
        drawing.say(figure(step, 0), left - 8, y(step) + 9, "end")
    drawing.line("ink", (left, floor), (right, floor))
    return drawing


def decay_drawing(picture: Picture) -> Picture2d | None:
    """Return T30 by octave as bars; None where the answer does not fall far enough in any."""
    known = [(each.centre_hz, each.t30_s) for each in picture.decays if each.t30_s is not None]
    if not known:
        return None
    drawing = Picture2d(700, 300, label="T30 by octave, measured")
    top, floor, wide = 40.0, 250.0, 690.0 / len(picture.decays)
    y = _scale(0.0, max(seconds for _, seconds in known), floor, top)
    for number, each in enumerate(picture.decays):
        left = number * wide + 6
        drawing.say(
            hertz_in_words(each.centre_hz).replace(" Hz", "").replace(" kHz", "k"), left + wide / 2 - 6, floor + 34
        )
        if each.t30_s is not None:
            drawing.box("hatch", left, y(each.t30_s), left + wide - 12, floor)
            drawing.say(figure(each.t30_s, 2), left + wide / 2 - 6, y(each.t30_s) - 8)
    drawing.line("ink", (0, floor), (690, floor))
    return drawing


def flow_drawing(plan: Plan) -> Picture2d:
    """Return how returns feed each other and where they go, tracks at the left and main at the right."""
    stages = return_stages(plan)
    rows = max([len(stage) for stage in stages] + [1])
    height = max(70.0 * rows + 30, 160.0)
    drawing = Picture2d(1820, height, label="how sound flows through the returns")
    columns = len(stages) + 2
    wide, gap = 1820 / columns - 60, 60.0
    middle = height / 2
    places: dict[str, tuple[float, float]] = {}
    for column, stage in enumerate(stages, 1):
        for row, return_id in enumerate(stage):
            places[return_id] = column * (wide + gap), middle + (row - (len(stage) - 1) / 2) * 70
    last = (columns - 1) * (wide + gap)
    for return_ in plan.returns:
        left, at = places[return_.id]
        sources = [send.source for send in plan.sends_into(return_.id) if send.on]
        if any(source not in places for source in sources):
            drawing.line("flow", (wide, middle), (wide + gap / 2, at), (left, at))
        for source in sources:
            if source in places:
                drawing.line("flow", (places[source][0] + wide, places[source][1]), (left, at))
        drawing.line("fine", (left + wide, at), (last - gap / 2, at), (last, middle))
    for return_ in plan.returns:
        left, at = places[return_.id]
        _node(drawing, return_.name, left, at, wide)
        if return_.output != MAIN:
            drawing.say(f"by {plan.group(return_.output).name}", left + wide + 8, at - 8, "start")
    _node(drawing, f"{len(plan.tracks)} tracks", 0, middle, wide)
    _node(drawing, "Main", last, middle, wide)
    return drawing


def _node(drawing: Picture2d, name: str, left: float, middle: float, wide: float) -> None:
    drawing.box("node", left, middle - 24, left + wide, middle + 24)
    most = int(wide / 15)
    drawing.say(name if len(name) <= most else f"{name[: most - 1]}…", left + wide / 2, middle + 9)


def _dimension(drawing: Picture2d, left: float, right: float, y: float, words: str) -> None:
    drawing.line("ink", (left, y), (right, y))
    for x in (left, right):
        drawing.line("ink", (x - 7, y + 7), (x + 7, y - 7))
    drawing.say(words, (left + right) / 2, y + 34)


def _beats(count: float) -> str:
    return f"{count:g} beat{'s' if count != 1 else ''}"


def _scale(low: float, high: float, start: float, end: float) -> Callable[[float], float]:
    return lambda value: start + (value - low) / ((high - low) or 1.0) * (end - start)
