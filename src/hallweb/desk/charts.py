"""From the core's values to coordinates; templates only write them down."""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from hallweb.desk.fields import BAND_NAMES, beat_seconds
from hallweb.desk.templatetags.figures import figure
from highhall.measure.predictions import chain_response_db, last_repeat_s
from highhall.plan import Plan, Return, Song
from highhall.plan.kinds import KINDS
from highhall.timing import NoteValue, Position

BEATS_SHOWN = 4
BEAT_PX = 136.0
HIT_X = 8.0
AUDIBLE_DB = -30.0


@dataclass(frozen=True, slots=True, kw_only=True)
class GridLine:
    """A vertical line of the time axis: `kind` is grid, beat or backbeat."""

    x: float
    kind: str
    label: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class TimePicture:
    """One hit at 0 and what a return makes of it, on the shared time axis."""

    start_x: float
    end_x: float
    low_end_x: float
    high_end_x: float
    pre_delay: str
    decay: str
    low_decay: str
    high_decay: str
    reading: str
    verdict: str
    label: str

    @property
    def is_long(self) -> bool:
        """Whether the slope leaves room for one line of words only."""
        return self.end_x > HIT_X + 2.6 * BEAT_PX


@dataclass(frozen=True, slots=True, kw_only=True)
class BandMark:
    """A filter band on the curve."""

    x: float
    y: float
    name: str
    figures: str
    label_y: float
    anchor: str


@dataclass(frozen=True, slots=True, kw_only=True)
class TonePicture:
    """The chain's filters as a curve."""

    points: str
    area: str
    marks: list[BandMark]
    lines: list[tuple[float, str]]
    columns: list[tuple[float, str]]
    width: int
    height: int
    is_flat: bool


def time_grid(song: Song) -> list[GridLine]:
    """Return eighths, beats and backbeats of four beats at the song's start."""
    beat = song.tempos[0].beat.whole_notes
    meter = song.meters[0]
    beats_in_bar = Fraction(meter.beats, meter.unit) / beat
    has_backbeat = beats_in_bar.denominator == 1 and beats_in_bar % 2 == 0
    eighth = Fraction(1, 8) / beat if beat >= Fraction(1, 8) else Fraction(1)
    lines = []
    place = Fraction(0)
    while place <= BEATS_SHOWN:
        if place.denominator != 1:
            lines.append(GridLine(x=HIT_X + float(place) * BEAT_PX, kind="grid"))
        place += eighth
    for number in range(1, BEATS_SHOWN + 1):
        is_backbeat = has_backbeat and number % 2 == 0
        name = (
            ("next backbeat" if number == 2 else "backbeat") if is_backbeat else f"{number} beat" + "s" * (number > 1)
        )
        kind = "backbeat" if is_backbeat else "beat"
        lines.append(GridLine(x=HIT_X + number * BEAT_PX, kind=kind, label=name))
    return lines


def time_picture(plan: Plan, return_: Return) -> TimePicture | None:
    """Return the picture of a return's first space, or None if its chain has none."""
    step = next((s for s in return_.chain if s.kind == "reverb"), None)
    if step is None:
        return None
    beat_s = beat_seconds(plan)
    time = step.time("pre_delay")
    pre_delay_s = plan.song.time.seconds_of(time, Position(1))
    decay_s = step.number("decay_s")
    low_s, high_s = decay_s * step.number("low_ratio"), decay_s * step.number("high_ratio")

    def x(seconds: float) -> float:
        return HIT_X + seconds / beat_s * BEAT_PX

    shown_delay = str(time) if isinstance(time, NoteValue) else f"{pre_delay_s * 1000:.0f} ms"
    decay = f"{decay_s:.2f} s" if decay_s < 1 else f"{decay_s:.1f} s"
    end_s = pre_delay_s + decay_s + last_repeat_s(return_, plan.song, Position(1), AUDIBLE_DB)
    reading, verdict = reading_of(end_s / beat_s, time_grid(plan.song), "Tail")
    return TimePicture(
        start_x=x(pre_delay_s),
        end_x=x(pre_delay_s + decay_s),
        low_end_x=x(pre_delay_s + low_s),
        high_end_x=x(pre_delay_s + high_s),
        pre_delay=f"{shown_delay}" + (f" {pre_delay_s * 1000:.0f} ms" if isinstance(time, NoteValue) else ""),
        decay=decay,
        low_decay=f"{low_s:.2f} s",
        high_decay=f"{high_s:.2f} s",
        reading=reading,
        verdict=verdict,
        label=f"{shown_delay}, then {decay}" if pre_delay_s else decay,
    )


def reading_of(end_beats: float, grid: list[GridLine], subject: str) -> tuple[str, str]:
    """Return in words when a tail (or repeats) ends against the second beat."""
    s = "" if subject.endswith("s") else "s"
    event = "the next backbeat" if any(line.kind == "backbeat" for line in grid) else "the second beat"
    after = end_beats - 2
    if after <= -0.05:
        return f"{subject} clear{s}", f"{figure(-after)} beats before {event}"
    if after < 0.05:
        return f"{subject} end{s}", f"on {event}"
    return f"{subject} ring{s}", f"{figure(after)} beats past {event}"


def tone_picture(plan: Plan, return_: Return, width: int, height: int) -> TonePicture:
    """Return the summed curve of a return's tone steps that are on, +12 to -36 dB, 40 Hz to 16 kHz."""
    bands = [band for step in return_.chain if step.on for band in step.bands]
    frequencies = np.geomspace(40, 16000, max(width // 3, 24))
    levels = chain_response_db(return_, frequencies, plan.song.sample_rate)

    def x(hz: float) -> float:
        return float(np.log(hz / 40) / np.log(400) * width)

    def y(db: float) -> float:
        return float(np.clip((12 - db) / 48 * height, 0, height))

    points = [(x(hz), y(db)) for hz, db in zip(frequencies, levels, strict=True)]
    marks = []
    for index, band in enumerate(b for b in bands if b.on):
        place = x(min(max(band.hz, 40), 16000))
        at = y(float(chain_response_db(return_, np.array([band.hz]), plan.song.sample_rate)[0]))
        hz = f"{band.hz / 1000:.3g} kHz" if band.hz >= 1000 else f"{band.hz:.0f} Hz"
        detail = f"{band.slope_db_oct} dB/oct" if band.shape.endswith("cut") else f"{figure(band.gain_db)} dB"
        anchor = "start" if place < width * 0.25 else "end" if place > width * 0.75 else "middle"
        marks.append(
            BandMark(
                x=place, y=at, name=f"{BAND_NAMES[band.shape]} {hz}", figures=detail,
                label_y=84 + 16 * (index % 5), anchor=anchor,
            )
        )  # fmt: skip
    path = " ".join(f"{px:.1f},{py:.1f}" for px, py in points)
    return TonePicture(
        points=path,
        area=f"0,{height} {path} {width},{height}",
        marks=marks,
        lines=[(y(db), figure(db, 0)) for db in (0, -12, -24)],
        columns=[(x(hz), text) for hz, text in ((50, "50"), (100, "100"), (200, "200"), (500, "500"), (1000, "1k"), (2000, "2k"), (5000, "5k"), (10000, "10k"))],
        width=width,
        height=height,
        is_flat=not marks,
    )  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class FeedBar:
    """One instrument's feed of a return in the skyline."""

    x: float
    width: float
    height: float
    is_on: bool
    initials: str
    title: str


def skyline(plan: Plan, return_: Return, width: float = 184) -> list[FeedBar]:
    """Return who feeds a return: every track in the same place in every band, the height its level."""
    sends = {send.source: send for send in plan.sends_into(return_.id)}
    pitch = width / max(len(plan.tracks), 1)
    bars = []
    for index, track in enumerate(plan.tracks):
        send = sends.get(track.id)
        if send is None:
            continue
        level = -60.0 if send.level_db is None else send.level_db
        bars.append(
            FeedBar(
                x=index * pitch,
                width=min(12.0, pitch - 1),
                height=float(np.clip((level + 36) / 42, 0.05, 1) * 26),
                is_on=send.on,
                initials=track.name[:2] if pitch >= 16 else "",
                title=f"{track.name} {figure(level)} dB",
            )
        )
    return bars


@dataclass(frozen=True, slots=True, kw_only=True)
class SectionBox:
    """A section on the strip, to scale in time."""

    id: str
    x: float
    width: float
    name: str
    bar: int
    start_sample: int
    end_sample: int


def section_strip(song: Song, width: float = 558) -> list[SectionBox]:
    """Return the sections drawn to scale over the song's length; unnamed stretches are left open."""
    end = song.end_sample
    boxes = []
    for section in song.sections:
        start, stop = song.time.sample_at(section.start), song.time.sample_at(section.end)
        boxes.append(
            SectionBox(
                id=section.id, x=start / end * width, width=(stop - start) / end * width, name=section.name,
                bar=section.start.bar, start_sample=start, end_sample=stop,
            )
        )  # fmt: skip
    return boxes


_KEYS = ("near", "plate", "hall", "echo", "slap", "widen")
_BY_SPACE = {"room": "near", "chamber": "near", "plate": "plate", "hall": "hall", "cathedral": "hall"}
_BY_KIND = {"echo": "echo", "offset": "widen", "doubler": "widen", "chorus": "widen", "impulse": "hall"}


@dataclass(frozen=True, slots=True)
class Look:
    """How a return is told apart: tint and hatch, a glyph, and a number where they repeat."""

    tint: str
    glyph: str
    number: int
    kind: str


def looks(returns: Sequence[Return]) -> dict[str, Look]:
    """Give every return a look: the glyph of its kind, that kind's tint first, then the next free one."""
    given: dict[str, Look] = {}
    free = list(_KEYS)
    seen: dict[str, int] = {}
    for return_ in returns:
        glyph, kind = _glyph_of(return_)
        seen[glyph] = seen.get(glyph, 0) + 1
        tint = glyph if glyph in free else (free[0] if free else _KEYS[len(given) % len(_KEYS)])
        if tint in free:
            free.remove(tint)
        given[return_.id] = Look(tint, glyph, seen[glyph] if seen[glyph] > 1 else 0, kind)
    return given


def _glyph_of(return_: Return) -> tuple[str, str]:
    for step in return_.chain:
        if step.kind == "reverb":
            space = str(step.value("space"))
            return _BY_SPACE[space], space
        if KINDS[step.kind].makes_wet:
            return _BY_KIND.get(step.kind, "widen"), step.kind
    return "near", "no effect yet"
