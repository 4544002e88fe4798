"""Renders segments one at a time, in any order; what another one may go on from is kept.

A return's segment comes in two steps: what the return is fed, and what its chain makes of that. What it is fed is kept under
the keys of a lane of its own (`LaneSegments.feed`), so after an edit of its effects no source is read again and no return that
feeds it runs again: only its own chain does, over as much of the past as it listens back to.

Both steps go on by tiles (`highhall.render.feeds`).
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from highhall.effects import CELL_FRAMES, Signal
from highhall.render.engine import DRY, ReturnPath
from highhall.render.feeds import Feed, Tile, begun, rest, tile_of
from highhall.render.kept import Kept
from highhall.render.segments import LaneSegments
from highhall.render.sources import Sources
from highhall.render.stems import Stems

_NO_SOURCES = Sources()


@dataclass(frozen=True, slots=True, eq=False)
class Segment:
    """A segment's sound, (2, frames), and the peak of what its return is fed in every tenth of a second; empty for dry."""

    sound: Signal
    fed_peaks: NDArray[np.float32]


def _peaks(fed: Signal, sample_rate: int) -> NDArray[np.float32]:
    hop = sample_rate // 10
    levels: NDArray[np.float32] = np.abs(fed).max(axis=0)
    return np.maximum.reduceat(levels, range(0, len(levels), hop))


class _Return:
    """A return's chain and fader at work on what it is fed, from the cell on in which as much of the past begins as it hears."""

    def __init__(self, segments: LaneSegments, feed: LaneSegments, stems: Stems, start: int) -> None:
        plan = replace(segments.plan, sends=())
        self.segments, self.feed = segments, feed
        self._path = ReturnPath(plan, plan.return_(segments.lane), stems)
        self.position = max(start - segments.leads[segments.lane], 0) // CELL_FRAMES * CELL_FRAMES
        self._made = np.zeros((4, 0), np.float32)
        """What it has made up to `position`, left and right, and what it was fed for that."""

    def take(self, fed: Signal, tile: Tile, start: int) -> None:
        """Go on to the end of a tile of what it is fed; what it makes of what lies before a sample is not needed."""
        first, self.position = self.position, tile.stop
        fed = np.ascontiguousarray(fed[:, first - tile.start :])
        if tile.stop <= start:
            self._path.run_up(fed, _NO_SOURCES, first, tile.stop)
            return
        made = self._path.process(fed, _NO_SOURCES, first, tile.stop).at_main
        both = np.concatenate([made, fed])[:, max(start - first, 0) :]
        self._made = np.concatenate([self._made, both], axis=1)

    def given(self, frames: int) -> tuple[Signal, Signal]:
        """Return the first frames of what it has made, and of what it was fed, (2, frames) each; the rest comes next."""
        made, self._made = self._made[:, :frames], self._made[:, frames:].copy()
        return made[:2], made[2:]


class SegmentRenderer:
    """Renders segments, and goes on from what was rendered not long ago.

    What rests at the end of a segment is kept under the key that the next one has in the plan that was played: an equal key means
    an equal past as far as the lane listens, so it may serve another revision of the plan, segment by segment.

    Otherwise a segment starts from silence after a pre-roll as long as the lane listens back (to -110 dB), so it agrees with
    the whole song's render to below -100 dB. What is kept takes `kept_bytes` altogether. Safe to use from several threads.
    """

    def __init__(self, kept_bytes: int) -> None:
        self._kept = Kept(kept_bytes)

    @property
    def held_bytes(self) -> int:
        """How much memory all takes that is kept."""
        return self._kept.held_bytes

    def render(
        self, segments: LaneSegments, stems: Stems, index: int, give_way: Callable[[], None] = lambda: None
    ) -> Segment:
        """Return segment `index`.

        give_way: called before every two seconds of sound or fewer; what it raises ends the work, and what others go on from is
        kept as it was.
        """
        if segments.feed is None:
            return self._by_engine(segments, stems, index, give_way)
        start = index * segments.frames
        at_work: _Return = self._kept.take(("return", segments.key(index))) or _Return(
            segments, segments.feed, stems, start
        )
        feed = Feed(at_work.feed, stems, self._kept, give_way)
        try:
            for number in range(at_work.position // segments.frames, index + 1):
                give_way()
                at_work.take(feed.tile(number), tile_of(number, segments.frames), start)
        finally:
            feed.rest()
        sound, fed = at_work.given(segments.frames)
        rest(self._kept, ("return", at_work.segments.key(index + 1)), at_work)
        return Segment(sound, _peaks(fed, segments.plan.song.sample_rate))

    def _by_engine(self, segments: LaneSegments, stems: Stems, index: int, give_way: Callable[[], None]) -> Segment:
        """Return a segment of dry sound, or of a return that listens to sources besides."""
        start = index * segments.frames
        at_work = self._kept.take(("lane", segments.key(index)))
        played, engine = at_work or (segments, begun(segments, stems, start, give_way))
        block = engine.advance(segments.frames)
        engine.rest()
        rest(self._kept, ("lane", played.key(index + 1)), (played, engine))
        if segments.lane == DRY:
            return Segment(block.dry, np.zeros(0, np.float32))
        return Segment(block.returns[played.lane], _peaks(block.fed[played.lane], segments.plan.song.sample_rate))
