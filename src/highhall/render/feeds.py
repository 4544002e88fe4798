"""What a return is fed, tile by tile.

A tile is made of whole cells: those between the first one that begins in a segment and the first one that begins in the next. It is
kept under the keys of both segments, for it reaches into the second.
"""

from collections.abc import Callable
from functools import cached_property
from typing import NamedTuple

from highhall.effects import CELL_FRAMES, Signal
from highhall.plan import Plan
from highhall.plan.isolation import differing_sends
from highhall.render.engine import Engine
from highhall.render.held import held_bytes
from highhall.render.kept import Kept
from highhall.render.segments import LaneSegments
from highhall.render.stems import Stems

_PRE_ROLL_FRAMES = 4 * CELL_FRAMES
"""Frames that a pre-roll goes on by, counted from 1|1; a return begins with the block that its own start lies in."""


class Tile(NamedTuple):
    """Whole cells, from one sample of the song to another."""

    start: int
    stop: int


def tile_of(index: int, frames: int) -> Tile:
    """Return the tile of segment `index`, where segments are so many frames long."""
    start, stop = (-(-number * frames // CELL_FRAMES) * CELL_FRAMES for number in (index, index + 1))
    return Tile(start, stop)


def begun(segments: LaneSegments, stems: Stems, start: int, give_way: Callable[[], None] = lambda: None) -> Engine:
    """Return an engine that has run up to a sample from as long before it as the lane listens.

    give_way: called before every second or so of sound; it may raise, and nothing comes of it.
    """
    first = max(start - segments.memory, 0)
    starts = {return_id: start - lead for return_id, lead in segments.leads.items()}
    end = segments.tracks_end
    engine = Engine(segments.plan, stems, start_sample=first, lanes={segments.lane}, starts=starts, tracks_end=end)
    while engine.position < start:
        give_way()
        engine.advance(min(_PRE_ROLL_FRAMES - engine.position % _PRE_ROLL_FRAMES, start - engine.position))
    return engine


def rest(kept: Kept, key: tuple[str, ...], at_work: object) -> None:
    """Keep what is at work, to go on later."""
    kept.keep(key, at_work, held_bytes(at_work, apart=(Plan, Stems)))


class Feed:
    """What one return is fed, in the order of its tiles, and found where that is quickest.

    A tile is kept; or an engine has worked out the one before; or it is one that was played before and differs in a few sends, which
    are added and taken away, since all up to the return is linear in them; or an engine begins.
    """

    def __init__(
        self, segments: LaneSegments, stems: Stems, kept: Kept, give_way: Callable[[], None] = lambda: None
    ) -> None:
        self._segments, self._stems, self._kept, self._give_way = segments, stems, kept, give_way
        self._engine: Engine | None = None
        self._next = -1
        """The segment whose tile the engine works out next."""

    def tile(self, index: int) -> Signal:
        """Return the tile of segment `index`, to be read only: (2, frames)."""
        keys = self._keys(index)
        fed: Signal | None = self._kept.find(("fed", *keys))
        if fed is None:
            if self._next != index:
                self._engine = self._kept.take(("feed", *keys))
            fed = self._of_played(index) if self._engine is None else None
            if fed is None:
                fed = self._worked_out(index)
            self._kept.keep(("fed", *keys), fed, fed.nbytes)
        return fed

    def rest(self) -> None:
        """Keep what others can go on from."""
        if self._engine is not None:
            self._engine.rest()
            rest(self._kept, ("feed", *self._keys(self._next)), self._engine)
        self._kept.keep(("played", self._segments.lane), self._segments, 0)

    def _keys(self, index: int) -> tuple[str, str]:
        return self._segments.key(index), self._segments.key(index + 1)

    def _worked_out(self, index: int) -> Signal:
        tile = tile_of(index, self._segments.frames)
        self._engine = self._engine or begun(self._segments, self._stems, tile.start, self._give_way)
        self._next = index + 1
        return _fed_by(self._engine, tile)

    @cached_property
    def _difference(self) -> "_Difference | None":
        return _Difference.to(self._segments, self._kept.find(("played", self._segments.lane)), self._stems)

    def _of_played(self, index: int) -> Signal | None:
        if self._difference is None:
            return None
        keys = (self._difference.played.key(index), self._difference.played.key(index + 1))
        played: Signal | None = self._kept.find(("fed", *keys))
        return None if played is None else played + self._difference.tile(index)


def _fed_by(engine: Engine, tile: Tile) -> Signal:
    (fed,) = engine.advance(tile.stop - tile.start).fed.values()  # of whichever return is fed the same
    return fed


class _Difference:
    """What a return is fed more, and less, than it was fed as it was `played`: by the sends into it that differ, and no others."""

    def __init__(self, played: LaneSegments, more: LaneSegments, less: LaneSegments, stems: Stems) -> None:
        self.played = played
        self._parts, self._stems = (more, less), stems
        self._engines: list[Engine] = []

    @classmethod
    def to(cls, wanted: LaneSegments, played: LaneSegments | None, stems: Stems) -> "_Difference | None":
        """Return what makes one feed of another; None if it is not only a few sends that differ."""
        if played is None or played is wanted or not wanted.hears_the_same_files(played):
            return None
        plans = differing_sends(played.plan, wanted.plan, wanted.lane)
        if plans is None:
            return None
        less, more = (wanted.of(plan) for plan in plans)
        return cls(played, more, less, stems)

    def tile(self, index: int) -> Signal:
        """Return the difference in the tile of segment `index`, (2, frames)."""
        tile = tile_of(index, self.played.frames)
        if not self._engines or self._engines[0].position != tile.start:
            self._engines = [begun(part, self._stems, tile.start) for part in self._parts]
        more, less = (_fed_by(engine, tile) for engine in self._engines)
        return more - less
