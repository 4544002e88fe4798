"""The time axis of the Returns screen: one hit at 0, four beats of the tempo at a position, or a part of them."""

from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property

from highhall.plan import Song
from highhall.timing import LADDER, Position
from highhall.wording import figure

HIT_X = 8.0
WIDTH = 544.0
SPANS = (4, 2, 1)
FIRST = Position(1)


@dataclass(frozen=True, slots=True, kw_only=True)
class GridLine:
    """A vertical line of the axis: `kind` is grid, beat or backbeat."""

    x: float
    kind: str
    label: str = ""


class TimeAxis:
    """Seconds after a hit at `at`, drawn over `beats` beats. `beat_s` is how long the tempo's own beat lasts there."""

    def __init__(self, song: Song, at: Position = FIRST, beats: int = SPANS[0]) -> None:
        self.song, self.at, self.beats = song, at, beats
        time = song.time
        tempo = song.tempo_at(at)
        self._beat = tempo.beat.whole_notes
        self.beat_s = time.seconds_of(tempo.beat, at)
        self.px_per_s = WIDTH / beats / self.beat_s

    @cached_property
    def _note_seconds(self) -> list[tuple[str, float]]:
        return [(str(note), self.song.time.seconds_of(note, self.at)) for note in LADDER]

    def x(self, seconds: float) -> float:
        """Return where a time after the hit lies."""
        return HIT_X + seconds * self.px_per_s

    def beats_of(self, seconds: float) -> str:
        """Return a duration in beats, in words."""
        return f"{figure(seconds / self.beat_s, 2)} beats"

    @property
    def has_backbeat(self) -> bool:
        """Whether bars there have an even number of beats."""
        meter = self.song.time.meter_at(self.at)
        beats_in_bar = Fraction(meter.beats, meter.unit) / self._beat
        return beats_in_bar.denominator == 1 and beats_in_bar % 2 == 0

    @property
    def second_beat(self) -> str:
        """What the second beat after a hit on the first is called."""
        return "the next backbeat" if self.has_backbeat else "the second beat"

    @cached_property
    def lines(self) -> list[GridLine]:
        """Beats, backbeats and what they are divided into: eighths, and finer ones where there is room."""
        effect = Fraction(1, 8) / self._beat if self._beat >= Fraction(1, 8) else Fraction(1)
        effect = effect * self.beats / 4
        px = WIDTH / self.beats
        inner = [n * effect for n in range(1, int(self.beats / effect) + 1) if (n * effect).denominator != 1]
        lines = [GridLine(x=HIT_X + float(place) * px, kind="grid") for place in inner]
        for number in range(1, self.beats + 1):
            is_backbeat = self.has_backbeat and number % 2 == 0
            name = f"{number} beat" + "s" * (number > 1)
            if is_backbeat:
                name = "next backbeat" if number == 2 else "backbeat"
            lines.append(GridLine(x=HIT_X + number * px, kind="backbeat" if is_backbeat else "beat", label=name))
        return lines

    def note_marks(
        self, start_s: float = 0.0, lowest_ms: float = 0.0, highest_ms: float = 60_000.0
    ) -> list[tuple[float, str]]:
        """Return (x, note value) of every note value of the ladder that lies in the picture, counted from `start_s`."""
        marks = []
        for note, seconds in self._note_seconds:
            if lowest_ms <= 1000 * seconds <= highest_ms and self.x(start_s + seconds) <= HIT_X + WIDTH:
                marks.append((self.x(start_s + seconds), note))
        return marks

    def reading_of(self, seconds: float, subject: str) -> tuple[str, str]:
        """Return in words when a tail (or repeats) ends against the second beat."""
        s = "" if subject.endswith("s") else "s"
        after = seconds / self.beat_s - 2
        if after <= -0.05:
            return f"{subject} clear{s}", f"{figure(-after)} beats before {self.second_beat}"
        if after < 0.05:
            return f"{subject} end{s}", f"on {self.second_beat}"
        return f"{subject} ring{s}", f"{figure(after)} beats past {self.second_beat}"
