"""What is heard of a plan without changing it, as the player's addresses say it."""

from dataclasses import dataclass
from urllib.parse import urlencode

from django.http import HttpRequest

from highhall.plan import Plan
from highhall.plan.edits.moves import NEW_RAMP
from highhall.plan.listening import alone, only_feed, without_tone
from highhall.plan.order import reached_returns
from highhall.render import DRY
from highhall.render.pieces import lanes_of

_LONGEST_NUMBER = 11


@dataclass(frozen=True, slots=True)
class Feed:
    """A send whose level is held: its own, or that in a section."""

    source: str
    target: str
    section: str = ""


@dataclass(frozen=True, slots=True)
class Hearing:
    """How a plan is heard.

    alone: the tracks that are heard, with what they feed; none is the whole song. plain: the return that is heard
    without its tone, if one is. tracks_end: the sample at which the tracks stop and only returns ring on. sends_end:
    the sample from which tracks feed no return any more, but are heard. feed: the one send that is heard, at unity.
    """

    alone: frozenset[str] = frozenset()
    plain: str = ""
    tracks_end: int | None = None
    sends_end: int | None = None
    feed: Feed | None = None

    @classmethod
    def of(cls, request: HttpRequest) -> "Hearing":
        """Return what an address asks for; what it does not say, or not well, is as it is."""
        said = request.GET
        source, _, target = said.get("feed", "").partition("/")
        return cls(
            alone=frozenset(filter(None, said.get("alone", "").split(","))),
            plain=said.get("plain", ""),
            tracks_end=_sample(said.get("tracks-end", "")),
            sends_end=_sample(said.get("sends-end", "")),
            feed=Feed(source, target, said.get("section", "")) if target else None,
        )

    @property
    def query(self) -> str:
        """The same as the end of an address; empty for a plan as it is."""
        said: dict[str, object] = {
            "alone": ",".join(sorted(self.alone)),
            "plain": self.plain,
            "tracks-end": self.tracks_end,
            "sends-end": self.sends_end,
        }
        if self.feed:
            said |= {"feed": f"{self.feed.source}/{self.feed.target}", "section": self.feed.section}
        query = urlencode({name: value for name, value in said.items() if value not in ("", None)}, safe=",/")
        return f"?{query}" if query else ""

    def heard(self, plan: Plan) -> Plan:
        """Return the plan as it is heard."""
        if self.plain:
            plan = without_tone(plan, self.plain)
        if any(track.id in self.alone for track in plan.tracks):
            plan = alone(plan, self.alone)
        feed = self.feed
        if feed and plan.send(feed.source, feed.target):
            plan = only_feed(plan, feed.source, feed.target, section=feed.section or None, ramp=NEW_RAMP)
        return plan

    def lanes(self, plan: Plan) -> tuple[str, ...]:
        """Return the lanes that are heard; none if a send is asked for that is not there."""
        if self.feed:
            if plan.send(self.feed.source, self.feed.target) is None:
                return ()
            reached = reached_returns(plan, self.feed.target)
            return tuple(r.id for r in plan.returns if r.id in reached)
        return lanes_of(plan)

    def tracks_end_in(self, lane: str) -> int | None:
        """Return the sample from which a lane hears no track any more."""
        ends = (self.tracks_end, None if lane == DRY else self.sends_end)
        return min((end for end in ends if end is not None), default=None)


AS_IT_IS = Hearing()


def _sample(text: str) -> int | None:
    return int(text) if text.isdecimal() and len(text) <= _LONGEST_NUMBER else None
