"""From the core's values to coordinates; templates only write them down."""

from collections.abc import Sequence
from dataclasses import dataclass

from hallweb.screens.common.level_scale import share_of_scale
from highhall.plan import Plan, Return, Song
from highhall.plan.kinds import LEVEL


@dataclass(frozen=True, slots=True, kw_only=True)
class FeedBar:
    """One instrument's feed of a return in the feed_bars."""

    x: float
    width: float
    height: float
    is_on: bool
    initials: str
    title: str


def feed_bars(plan: Plan, return_: Return, width: float = 184) -> list[FeedBar]:
    """Return who feeds a return: every track in the same place in every strip, the height its level."""
    sends = {send.source: send for send in plan.sends_into(return_.id)}
    pitch = width / max(len(plan.tracks), 1)
    bars = []
    for index, track in enumerate(plan.tracks):
        send = sends.get(track.id)
        if send is None:
            continue
        bars.append(
            FeedBar(
                x=index * pitch,
                width=min(12.0, pitch - 1),
                height=max(share_of_scale(send.level_db), 0.05) * 26,
                is_on=send.on,
                initials=track.name[:2] if pitch >= 16 else "",
                title=f"{track.name} {LEVEL.words(send.level_db)}",
            )
        )
    return bars


SONG_STRIP_WIDTH = 558
"""How wide the whole song is drawn on the dock's song strip, in pixels."""


@dataclass(frozen=True, slots=True, kw_only=True)
class SectionBox:
    """A section on the song strip, to scale in time."""

    id: str
    x: float
    width: float
    name: str
    bar: int
    start_sample: int
    end_sample: int


def section_boxes(song: Song, width: float = SONG_STRIP_WIDTH) -> list[SectionBox]:
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


@dataclass(frozen=True, slots=True)
class Style:
    """How a return is told apart: tint and hatch, a glyph, and a number where they repeat."""

    tint: str
    glyph: str
    number: int
    kind: str


def styles(returns: Sequence[Return]) -> dict[str, Style]:
    """Give every return a style: the glyph of its kind, that kind's tint first, then the next free one."""
    given: dict[str, Style] = {}
    free = list(_KEYS)
    seen: dict[str, int] = {}
    for return_ in returns:
        glyph, kind = _glyph_of(return_)
        seen[glyph] = seen.get(glyph, 0) + 1
        tint = glyph if glyph in free else (free[0] if free else _KEYS[len(given) % len(_KEYS)])
        if tint in free:
            free.remove(tint)
        given[return_.id] = Style(tint, glyph, seen[glyph] if seen[glyph] > 1 else 0, kind)
    return given


def _glyph_of(return_: Return) -> tuple[str, str]:
    for effect in return_.chain:
        if effect.kind == "echo" and not effect.number("feedback"):
            return "slap", "single repeat"
        if effect.table.makes_wet:
            chosen = str(effect.value(effect.table.style_by[0])) if effect.table.style_by else ""
            return effect.style, chosen or effect.table.label.lower()
    return "near", "no effect yet"


def peaks_path(columns: Sequence[float], width: float, height: float) -> str:
    """Return the path of a waveform, each column a line as high as its peak; quiet ones are drawn larger than they are."""
    middle, wide = height / 2, width / max(len(columns), 1)
    halves = (max(middle * min(peak, 1.0) ** 0.6, 0.4) for peak in columns)
    return "".join(
        f"M{(number + 0.5) * wide:.1f} {middle - half:.1f}V{middle + half:.1f}" for number, half in enumerate(halves)
    )
