"""The Song screen's drawings: the time ruler above the tracks, and what each stem is like, on one scale."""

import json
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from itertools import pairwise

import numpy as np

from highhall.measure import Phrase, StemAnalysis
from highhall.plan import Section, Song
from highhall.timing import Position
from highhall.wording import figure

WIDTH, WAVE_HEIGHT = 440.0, 36.0
LEVEL_HEIGHT, LOWEST_DB = 84.0, -84.0
EDGE_PX = 7
_COLUMN_PX = 2
_NUMBER_PX = 26
_LETTER_PX = 6.0
_BEATS_FROM_PX = 5  # a bar narrower than this has no beats to snap to


@dataclass(frozen=True)
class Window:
    """The stretch of the song that is drawn, from a bar line to a bar line."""

    song: Song
    first_bar: int
    last_bar: int

    @classmethod
    def of(cls, song: Song, first: str, last: str) -> "Window":
        """Read a window as the address says it; what makes no sense is the whole song."""
        song_end = song.end.next_bar_line.bar if song.end.beat > 1 else song.end.bar
        start = int(first) if first.isdecimal() else 1
        end = int(last) if last.isdecimal() else song_end
        start, end = max(start, 1), min(end, song_end)
        return cls(song, start, end) if start < end else cls(song, 1, song_end)

    @property
    def is_whole(self) -> bool:
        """Whether all of the song is drawn."""
        return self.first_bar == 1 and self.last_bar >= self.song.end.bar

    @cached_property
    def start_s(self) -> float:
        """When it starts, in seconds from 1|1."""
        return self.song.time.seconds_at(Position(self.first_bar))

    @cached_property
    def end_s(self) -> float:
        """When it ends."""
        return self.song.time.seconds_at(Position(self.last_bar))

    def x(self, seconds: float) -> float:
        """Return where a time lies, in pixels, inside or outside of the picture."""
        return (seconds - self.start_s) / (self.end_s - self.start_s) * WIDTH

    def x_of(self, position: Position) -> float:
        """Return where a position lies."""
        return self.x(self.song.time.seconds_at(position))

    def nearer(self) -> tuple[int, int]:
        """Return the bars of a window half as long about the same middle."""
        quarter = max((self.last_bar - self.first_bar) // 4, 0)
        return self.first_bar + quarter, max(self.last_bar - quarter, self.first_bar + quarter + 1)

    def further(self) -> tuple[int, int]:
        """Return the bars of a window twice as long."""
        half = max((self.last_bar - self.first_bar) // 2, 1)
        return max(self.first_bar - half, 1), self.last_bar + half

    def shifted(self, direction: int) -> tuple[int, int]:
        """Return the bars of a window half its length earlier (-1) or later (1)."""
        length = self.last_bar - self.first_bar
        by = direction * max(length // 2, 1)
        first = min(max(self.first_bar + by, 1), max(self.song.end.bar - length, 1))
        return first, first + length


@dataclass(frozen=True, slots=True, kw_only=True)
class Room:
    """A section drawn as a room of the ruler."""

    section: Section
    x: float
    width: float
    starts_here: bool
    ends_here: bool

    @property
    def is_tight(self) -> bool:
        """Whether its name fits in small letters at best."""
        return len(self.section.name) * _LETTER_PX > self.width - EDGE_PX

    @property
    def end_handle_x(self) -> float:
        """Where the handle of its right wall stands."""
        return self.x + self.width - EDGE_PX


@dataclass(frozen=True, slots=True, kw_only=True)
class Mark:
    """A tempo or meter where it starts; `slope_x` is where a ramp to it began."""

    x: float
    text: str
    slope_x: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class TimeRuler:
    """Bars, sections, tempos and meters over the tracks; `bars` and `beats` are (position, x) to snap to."""

    rooms: list[Room]
    marks: list[Mark]
    numbers: list[tuple[int, float]]
    bars: str
    beats: str


def time_ruler(window: Window) -> TimeRuler:
    """Return the ruler of a window."""
    song = window.song
    bars = [(Position(bar), window.x_of(Position(bar))) for bar in range(window.first_bar, window.last_bar + 1)]
    has_beats = len(bars) * _BEATS_FROM_PX <= WIDTH
    every = next(effect for effect in (1, 2, 4, 8, 16, 32, 64, 1 << 20) if len(bars) * _NUMBER_PX <= WIDTH * effect)
    return TimeRuler(
        rooms=[room for section in song.sections if (room := _room(window, section))],
        marks=list(_marks(window)),
        numbers=[(at.bar, x) for at, x in bars[:-1] if (at.bar - 1) % every == 0],
        bars=_snaps(bars),
        beats=_snaps(_beats(window) if has_beats else bars),
    )


def _snaps(places: Iterable[tuple[Position, float]]) -> str:
    return json.dumps([[str(at), round(x, 2)] for at, x in places])


def _beats(window: Window) -> Iterator[tuple[Position, float]]:
    for bar in range(window.first_bar, window.last_bar):
        for beat in range(window.song.time.meters.meter_at(bar).beats):
            at = Position(bar, Fraction(beat + 1))
            yield at, window.x_of(at)


def _room(window: Window, section: Section) -> Room | None:
    start, end = window.x_of(section.start), window.x_of(section.end)
    if end <= 0 or start >= WIDTH:
        return None
    left, right = max(start, 0.0), min(end, WIDTH)
    return Room(section=section, x=left, width=right - left, starts_here=start >= 0, ends_here=end <= WIDTH)


def _marks(window: Window) -> Sequence[Mark]:
    song = window.song
    meters = {Position(meter.bar): f"{meter.beats}/{meter.unit}" for meter in song.meters}
    tempos = {tempo.at: figure(tempo.bpm, 1).removesuffix(".0") for tempo in song.tempos}
    slopes = {after.at: window.x_of(before.at) for before, after in pairwise(song.tempos) if after.ramp}
    marks = []
    for at in sorted(meters.keys() | tempos.keys()):
        x = window.x_of(at)
        if not -1 <= x < WIDTH:
            continue
        text = " ".join(part for part in (tempos.get(at), meters.get(at)) if part)
        slope = slopes.get(at)
        marks.append(Mark(x=x, text=text, slope_x=None if slope is None else max(slope, 0.0)))
    return marks


@dataclass(frozen=True, slots=True, kw_only=True)
class WavePicture:
    """A stem's peaks in a window, mirrored about the middle, and its phrases as (x, width)."""

    outline: str
    phrases: list[tuple[float, float]]


def wave_picture(window: Window, analysis: StemAnalysis, start_s: float, phrases: Sequence[Phrase]) -> WavePicture:
    """Return a stem's outline from -48 dBFS up, and where its phrases are."""
    columns = round(WIDTH / _COLUMN_PX)
    peaks = analysis.overview(window.start_s - start_s, window.end_s - start_s, columns)
    reach = np.clip((20 * np.log10(np.maximum(peaks, 1e-6)) + 48) / 48, 0, 1) * WAVE_HEIGHT / 2
    x = (np.arange(columns) + 0.5) * _COLUMN_PX
    middle = WAVE_HEIGHT / 2
    there = [f"{at:g},{middle - dy:.1f}" for at, dy in zip(x, reach, strict=True)]
    back = [f"{at:g},{middle + dy:.1f}" for at, dy in zip(x[::-1], reach[::-1], strict=True)]
    return WavePicture(outline=" ".join(there + back), phrases=_brackets(window, start_s, phrases))


def _brackets(window: Window, start_s: float, phrases: Sequence[Phrase]) -> list[tuple[float, float]]:
    spans = [(window.x(start_s + p.start_s), window.x(start_s + p.end_s)) for p in phrases]
    return [(max(a, 0.0), min(b, WIDTH) - max(a, 0.0)) for a, b in spans if b > 0 and a < WIDTH]


@dataclass(frozen=True, slots=True, kw_only=True)
class LevelPicture:
    """A stem's level in a window, 0 to -84 dBFS, with the threshold that tells phrases from pauses."""

    outline: str
    threshold_y: float
    lines: list[tuple[float, str]]
    phrases: list[tuple[float, float]]


def level_picture(window: Window, analysis: StemAnalysis, start_s: float, threshold_db: float) -> LevelPicture:
    """Return the level of every 10 ms, the largest of each column."""
    columns = round(WIDTH / _COLUMN_PX)
    edges = (np.linspace(window.start_s, window.end_s, columns + 1) - start_s) * 100
    levels = analysis.levels_db
    first = np.clip(edges[:-1], 0, len(levels)).astype(int)
    last = np.maximum(np.clip(edges[1:], 0, len(levels)).astype(int), first + 1)
    loudest = [levels[a:b].max(initial=LOWEST_DB) if edge >= 0 else LOWEST_DB for a, b, edge in zip(first, last, edges, strict=False)]  # fmt: skip
    points = [f"{(i + 0.5) * _COLUMN_PX:g},{_level_y(level):.1f}" for i, level in enumerate(loudest)]
    return LevelPicture(
        outline=" ".join(points),
        threshold_y=_level_y(threshold_db),
        lines=[(_level_y(db), figure(db, 0)) for db in (-20.0, -40.0, -60.0)],
        phrases=_brackets(window, start_s, analysis.phrases(threshold_db)),
    )


def _level_y(level_db: float) -> float:
    return float(np.clip(level_db / LOWEST_DB, 0, 1)) * LEVEL_HEIGHT


@dataclass(frozen=True, slots=True)
class SpectrumBar:
    """A third octave: where its bar stands and how high it is."""

    x: float
    height: float
    title: str


_SPECTRUM_HEIGHT = 84.0
_SPECTRUM_PITCH = 8
_NAMES = ("25", "32", "40", "50", "63", "80", "100", "125", "160", "200", "250", "315", "400", "500", "630", "800", "1k", "1.25k", "1.6k", "2k", "2.5k", "3.15k", "4k", "5k", "6.3k", "8k", "10k", "12.5k", "16k", "20k")  # fmt: skip
_SHOWN_DB = 60.0


def spectrum_bars(levels_db: np.ndarray) -> list[SpectrumBar]:
    """Return a bar for each third octave, the loudest at the top, 60 dB high."""
    top = float(levels_db.max())
    if top <= -119:
        return []
    return [
        SpectrumBar(
            x=index * _SPECTRUM_PITCH,
            height=float(np.clip(1 - (top - level) / _SHOWN_DB, 0, 1)) * _SPECTRUM_HEIGHT,
            title=f"{name} Hz: {figure(float(level), 0)} dB",
        )
        for index, (name, level) in enumerate(zip(_NAMES, levels_db, strict=True))
    ]


def spectrum_labels() -> list[tuple[float, str]]:
    """Return (x, text) of the frequencies written under a spectrum."""
    return [((index + 0.4) * _SPECTRUM_PITCH, _NAMES[index]) for index in (3, 9, 16, 22, 28)]
