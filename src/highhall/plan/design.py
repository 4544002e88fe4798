"""The plan: all parts of a song's design together."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Annotated

from highhall.plan.json.codecs import ListOf
from highhall.plan.json.records import Record
from highhall.plan.lookup import by_id
from highhall.plan.moves import Move
from highhall.plan.parts import Group, Return, Send, Track
from highhall.plan.song import Song
from highhall.plan.targets import Target
from highhall.plan.wishes import Depth, DepthTarget, Space

MOST_TRACKS, MOST_GROUPS, MOST_RETURNS, MOST_SENDS, MOST_MOVES = 500, 100, 100, 5000, 2000
"""More of each than any song needs."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan:
    """A whole design of a song's depth."""

    song: Annotated[Song, Record(Song)]
    groups: Annotated[tuple[Group, ...], ListOf(Record(Group), high=MOST_GROUPS)] = ()
    tracks: Annotated[tuple[Track, ...], ListOf(Record(Track), high=MOST_TRACKS)] = ()
    returns: Annotated[tuple[Return, ...], ListOf(Record(Return), high=MOST_RETURNS)] = ()
    sends: Annotated[tuple[Send, ...], ListOf(Record(Send), high=MOST_SENDS)] = ()
    moves: Annotated[tuple[Move, ...], ListOf(Record(Move), high=MOST_MOVES)] = ()
    depth: Annotated[Depth | None, Record(Depth)] = None

    @property
    def space(self) -> Space:
        """The room that distances are read in."""
        return self.depth.space if self.depth else Space()

    @property
    def targets(self) -> tuple[DepthTarget, ...]:
        """Where sources are wanted."""
        return self.depth.targets if self.depth else ()

    @property
    def names(self) -> dict[str, str]:
        """What tracks, groups and returns are called, by their ids."""
        return {item.id: item.name for items in (self.tracks, self.groups, self.returns) for item in items}

    def group(self, group_id: str) -> Group:
        """Return the group with that id; KeyError if there is none."""
        return by_id(self.groups, group_id)

    def track(self, track_id: str) -> Track:
        """Return the track with that id; KeyError if there is none."""
        return by_id(self.tracks, track_id)

    def return_(self, return_id: str) -> Return:
        """Return the return with that id; KeyError if there is none."""
        return by_id(self.returns, return_id)

    def send(self, source: str, target: str) -> Send | None:
        """Return the send between two ids, if there is one."""
        return next((s for s in self.sends if (s.source, s.target) == (source, target)), None)

    def sends_into(self, return_id: str) -> Iterator[Send]:
        """Yield what feeds a return, in the plan's order."""
        return (send for send in self.sends if send.target == return_id)

    def tracks_in(self, group_id: str | None) -> Iterator[Track]:
        """Yield a group's tracks, or with None those that go to main."""
        return (track for track in self.tracks if track.group == group_id)

    def move(self, target: Target) -> Move | None:
        """Return the move of a target, if it has one."""
        return next((move for move in self.moves if move.target == target), None)


Edit = Callable[[Plan], Plan]
"""A change of a plan: it gives back another one."""
