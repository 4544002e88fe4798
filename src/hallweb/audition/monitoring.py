"""What is heard of a plan without changing it, as the player's addresses say it."""

from dataclasses import dataclass
from urllib.parse import urlencode

from django.http import QueryDict

from hallweb.audition.proposals import is_proposal, proposed_plan
from hallweb.inputs import Inputs
from highhall.plan import Plan, ReturnTarget, SendTarget, Target
from highhall.plan.edits.moves import NEW_RAMP
from highhall.plan.isolation import alone, only_feed, only_output, only_source, only_track, without_tone
from highhall.plan.order import reached_returns
from highhall.render import DRY
from highhall.render.segments import lanes_of

_LONGEST_NUMBER = 11
_SIDES = {"left": -1.0, "right": 1.0}
_IDS = {"send": 2, "track": 1, "return": 1, "source": 1}


@dataclass(frozen=True, slots=True)
class Held:
    """A level or a pan that is held, and heard alone: `kind` is `send`, `track` or `return`, `ids` whose it is.

    The level is at unity: its own, or that of a send or return in a `section`. With a `side`, `left` or `right`, it is the
    pan that is held, and stands there. A `source` is a track or group in its dry sound alone, without its own mute.
    """

    kind: str
    ids: tuple[str, ...]
    section: str = ""
    side: str = ""

    @classmethod
    def of(cls, said: Inputs) -> "Held | None":
        """Return what an address says, `kind/id` or `send/source/target`; None where it says nothing that can be held."""
        kind, *ids = said.text("held").split("/")
        side = said.text("side")
        is_known = _IDS.get(kind) == len(ids) and (not side or side in _SIDES)
        return cls(kind, tuple(ids), said.text("section"), side) if is_known else None

    @property
    def query(self) -> dict[str, str]:
        """The same as parts of an address."""
        return {"held": "/".join((self.kind, *self.ids)), "section": self.section, "side": self.side}

    def is_in(self, plan: Plan) -> bool:
        """Whether the plan has it, and its pan stands still."""
        pan: Target | None = None
        match self.kind:
            case "send":
                source, target = self.ids
                is_there = plan.send(source, target) is not None
                pan = SendTarget(source=source, target=target, param="pan")
            case "track":
                is_there = any(track.id == self.ids[0] for track in plan.tracks)
            case "source":
                groups = () if self.side else plan.groups
                is_there = self.ids[0] in {track.id for track in plan.tracks} | {group.id for group in groups}
            case _:
                is_there = any(return_.id == self.ids[0] for return_ in plan.returns)
                pan = ReturnTarget(target=self.ids[0], param="pan")
        return is_there and not (self.side and pan and plan.move(pan))

    def alone_in(self, plan: Plan) -> Plan:
        """Return the plan in which it alone is heard."""
        section, pan = self.section or None, _SIDES.get(self.side)
        match self.kind:
            case "send":
                return only_feed(plan, *self.ids, pan=pan, section=section, ramp=NEW_RAMP)
            case "return":
                return only_output(plan, *self.ids, pan=pan, section=section, ramp=NEW_RAMP)
            case "source":
                return only_source(plan, *self.ids, pan=pan)
        return only_track(plan, *self.ids, pan=pan)

    def lanes(self, plan: Plan) -> tuple[str, ...]:
        """Return the lanes in which it is heard."""
        if self.kind == "source":
            return (DRY,)
        if self.kind == "track":
            group = plan.track(self.ids[0]).group
            first = [s.target for s in plan.sends if s.source in (*self.ids, group)]
        else:
            first = [self.ids[-1]]
        reached = {r for target in first for r in reached_returns(plan, target)}
        lanes = tuple(r.id for r in plan.returns if r.id in reached)
        return (DRY, *lanes) if self.kind == "track" else lanes


@dataclass(frozen=True, slots=True)
class Monitoring:
    """How a plan is heard.

    alone: the tracks that are heard, with what they feed; none is the whole song. plain: the return that is heard
    without its tone, if one is. tracks_end: the sample at which the tracks stop and only returns ring on. sends_end:
    the sample from which tracks feed no return any more, but are heard. held: what is held, and heard alone. proposal: the
    proposal that is heard in the place of the plan; see `hallweb.audition.proposals`.
    """

    alone: frozenset[str] = frozenset()
    plain: str = ""
    tracks_end: int | None = None
    sends_end: int | None = None
    held: Held | None = None
    proposal: str = ""

    @classmethod
    def of(cls, said: Inputs) -> "Monitoring":
        """Return what an address asks for; what it does not say, or not well, is as it is."""
        version = said.text("version")
        return cls(
            alone=frozenset(filter(None, said.text("alone").split(","))),
            plain=said.text("plain"),
            tracks_end=_sample(said.text("tracks-end")),
            sends_end=_sample(said.text("sends-end")),
            held=Held.of(said),
            proposal=version if is_proposal(version) else "",
        )

    @classmethod
    def of_query(cls, query: str) -> "Monitoring":
        """Return what the end of an address asks for."""
        return cls.of(Inputs(QueryDict(query.removeprefix("?"))))

    @property
    def query(self) -> str:
        """The same as the end of an address; empty for a plan as it is."""
        said: dict[str, object] = {
            **(self.held.query if self.held else {}),
            "alone": ",".join(sorted(self.alone)),
            "plain": self.plain,
            "tracks-end": self.tracks_end,
            "sends-end": self.sends_end,
            "version": self.proposal,
        }
        query = urlencode({name: value for name, value in said.items() if value not in ("", None)}, safe=",/:")
        return f"?{query}" if query else ""

    def heard(self, plan: Plan) -> Plan:
        """Return the plan as it is heard; a proposal that is kept no more raises LostProposalError."""
        if self.proposal:
            plan = proposed_plan(self.proposal)
        if self.plain:
            plan = without_tone(plan, self.plain)
        if any(track.id in self.alone for track in plan.tracks):
            plan = alone(plan, self.alone)
        if self.held and self.held.is_in(plan):
            plan = self.held.alone_in(plan)
        return plan

    def lanes(self, plan: Plan) -> tuple[str, ...]:
        """Return the lanes that are heard; none if what is held is not there."""
        if self.held is None:
            return lanes_of(plan)
        return self.held.lanes(plan) if self.held.is_in(plan) else ()

    def tracks_end_in(self, lane: str) -> int | None:
        """Return the sample from which a lane hears no track any more."""
        ends = (self.tracks_end, None if lane == DRY else self.sends_end)
        return min((end for end in ends if end is not None), default=None)


AS_IT_IS = Monitoring()


def _sample(text: str) -> int | None:
    return int(text) if text.isdecimal() and len(text) <= _LONGEST_NUMBER else None
