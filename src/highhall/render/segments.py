"""Segments: stretches of two seconds of one lane (dry, or one return), as they reach main.

A segment's key is the hash of all that can be heard in it: every value of the lane's effects, those that nobody has set
too; its feeds as curves over the segment and the tail before it; the tempo map in seconds; the stems' contents; and the
engine's version. So an edit at bar 40 leaves the keys of bars 1 to 39 as they are, and equal keys mean equal sound.
"""

import hashlib
import platform
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property, reduce
from importlib.metadata import version
from pathlib import Path
from weakref import WeakValueDictionary

import highhall
from highhall.curves import Curve, EffectCurves, gain_of_db
from highhall.effects import NO_RESPONSES, Chain, Response, Ringing, Tone
from highhall.effects.panning import side_gains
from highhall.plan import MAIN, Effect, Group, Plan, Return, Track
from highhall.plan.isolation import only_fed, still_fader, still_group
from highhall.plan.order import feeding_returns, return_stages
from highhall.render.engine import DRY, return_fader, send_fader, width_curve

SEGMENT_S = 2
_ENGINE_FOLDERS = ("timing", "wording", "plan", "interchange", "curves", "effects", "render")
_LIBRARIES = ("numpy", "numba", "scipy", "soxr", "soundfile")


def _engine_version() -> str:
    """Return what may change the bits of a sound beside the plan: our own source, libraries, processor."""
    digest = hashlib.sha256()
    root = Path(highhall.__file__).parent
    for folder in _ENGINE_FOLDERS:
        for path in sorted((root / folder).rglob("*.py")):
            digest.update(path.read_bytes())
    libraries = " ".join(f"{name} {version(name)}" for name in _LIBRARIES)
    return f"{digest.hexdigest()[:16]} {libraries} {platform.machine()}"


ENGINE_VERSION = _engine_version()
_LONGEST_TAIL_S = 60.0


def segment_frames(plan: Plan) -> int:
    """Return the length of every segment in samples."""
    return SEGMENT_S * plan.song.sample_rate


def lanes_of(plan: Plan) -> tuple[str, ...]:
    """Return the lanes of a plan: dry, then every return."""
    return (DRY, *(r.id for r in plan.returns))


@dataclass(frozen=True, slots=True)
class LaneFader:
    """What of a return's own fader stands still, and is therefore a gain at playing: factors for left and right.

    open: without its mute. is_level_still: whether its level is among them. group: the group whose fader comes behind it
    as one more factor, `group_gain`, 0 where it is muted; None if there is none, or if it is part of the lane's sound.
    """

    open: tuple[float, float]
    is_muted: bool
    is_level_still: bool
    group: str | None = None
    group_gain: float = 1.0

    @property
    def gains(self) -> tuple[float, float]:
        """The factors as they are heard."""
        left, right = (0.0, 0.0) if self.is_muted else self.open
        return left * self.group_gain, right * self.group_gain


def lane_fader(plan: Plan, lane: str) -> LaneFader:
    """Return the fader at which a lane of `at_unity` sounds as it does in the plan."""
    if lane == DRY:
        return LaneFader((1.0, 1.0), is_muted=False, is_level_still=False)
    still = still_fader(plan, lane)
    level = gain_of_db(still["level_db"]) if "level_db" in still else 1.0
    left, right = side_gains(still.get("pan", 0.0))
    sides = (level * float(left), level * float(right))
    fader = LaneFader(sides, bool(still.get("mute", False)), "level_db" in still)
    group = still_group(plan, lane)
    if group is None:
        return fader
    return replace(fader, group=group.id, group_gain=0.0 if group.mute else gain_of_db(group.level_db))


def leads_s(plan: Plan, lane: str, responses: Mapping[str, Response]) -> dict[str, float]:
    """Return how long before a segment of a lane each return that reaches it has to run, in seconds; the lane itself too.

    A return that feeds others has to run as long before them as what comes from it is heard behind them.
    """
    tones = max((Tone(g.tone, plan.song.sample_rate).memory_s for g in plan.groups), default=0.0)
    if lane == DRY:
        return {DRY: tones}
    reaching = feeding_returns(plan, lane)
    ways: dict[str, Ringing] = {}
    for return_id in (r for stage in reversed(return_stages(plan)) for r in stage if r in reaching):
        chain = Chain.of(plan, plan.return_(return_id), responses)
        behind = [ways[s.target] for s in plan.sends if s.source == return_id and s.target in ways]
        ways[return_id] = chain.ringing.before(reduce(Ringing.beside, behind or [Ringing(falls_s=(tones, tones))]))
    return {return_id: way.memory_s for return_id, way in ways.items()}


def _hashed(*facts: object) -> str:
    return hashlib.sha256(repr(facts).encode()).hexdigest()


class LaneSegments:
    """The segments of one lane of a plan: `frames` long each; `memory` is how far back the lane listens, in samples.

    Parameters
    ----------
    hashes: content hash by path of every stem and impulse response. responses: the latter's sound, by path.
    tracks_end: the sample from which tracks are silent and only returns ring on.
    """

    def __init__(
        self,
        plan: Plan,
        lane: str,
        hashes: Mapping[str, str],
        responses: Mapping[str, Response] = NO_RESPONSES,
        *,
        tracks_end: int | None = None,
    ) -> None:
        self.plan, self.lane, self.tracks_end = plan, lane, tracks_end
        self._hashes, self._responses = hashes, responses
        self.frames = segment_frames(plan)
        self._keys: dict[int, str] = {}
        leads = leads_s(plan, lane, responses)
        self.leads = {return_id: round(seconds * plan.song.sample_rate) for return_id, seconds in leads.items()}
        self.memory = max(self.leads.values())
        curves = self._curves()
        still = [curve.constant for curve in curves]
        moving_effects = [effect for effect in self._effects() if effect.moves]
        reach = [effect.reach for effect in moving_effects]
        self._fixed = _hashed(ENGINE_VERSION, plan.song.sample_rate, self.frames, *self._description(), still, reach)
        self._moving: list[Curve | EffectCurves] = [c for c, value in zip(curves, still, strict=True) if value is None]
        self._moving += moving_effects

    def _curves(self) -> list[Curve]:
        plan = self.plan
        curves: list[Curve] = []
        for return_id in () if self.lane == DRY else sorted(feeding_returns(plan, self.lane)):
            return_ = plan.return_(return_id)
            for send in plan.sends_into(return_id):
                curves += send_fader(plan, send).curves
            curves += (*return_fader(plan, return_).curves, width_curve(plan, return_))
        return curves

    def _effects(self) -> list[EffectCurves]:
        if self.lane == DRY:
            return []
        returns = [self.plan.return_(return_id) for return_id in sorted(feeding_returns(self.plan, self.lane))]
        return [EffectCurves.of(self.plan, return_, effect) for return_ in returns for effect in return_.chain]

    @cached_property
    def feed(self) -> "LaneSegments | None":
        """What the lane's return is fed, as a lane of its own; None for dry, and for a return that listens to a source besides.

        An edit of the return's effects or of its fader leaves its keys as they are.
        """
        if self.lane == DRY or any(effect.source for effect in self.plan.return_(self.lane).chain):
            return None
        plan = only_fed(self.plan, self.lane)
        key = _hashed(plan, self.lane, self.tracks_end, sorted(self._hashes.items()))
        found = _feeds.get(key)
        if found is None:
            found = _feeds[key] = self.of(plan)
        return found

    def of(self, plan: Plan) -> "LaneSegments":
        """Return the segments of the same lane of another plan that hears the same files."""
        return LaneSegments(plan, self.lane, self._hashes, self._responses, tracks_end=self.tracks_end)

    def hears_the_same_files(self, other: "LaneSegments") -> bool:
        """Whether another lane hears stems and responses of the same content, as long as this one."""
        return (self._hashes, self.tracks_end) == (other._hashes, other.tracks_end)

    @property
    def tail_s(self) -> float:
        """How long it can ring after the tracks have stopped, to -60 dB, in seconds, 60 at the most."""
        seconds = 0.0 if self.lane == DRY else self.memory / self.plan.song.sample_rate
        return min(seconds * 60 / 110, _LONGEST_TAIL_S)

    def key(self, index: int) -> str:
        """Return the key of segment `index`, a hash in hex."""
        if index not in self._keys:
            self._keys[index] = self._key(index)
        return self._keys[index]

    def _key(self, index: int) -> str:
        start = index * self.frames
        first = max(start - self.memory, 0)
        moving: list[object] = [part.fingerprint(first, start + self.frames) for part in self._moving]
        if self.tracks_end is not None and self.tracks_end < start + self.frames:
            moving.append(("tracks end", self.tracks_end))
        return _hashed(self._fixed, start, moving)

    def _description(self) -> tuple[object, ...]:
        plan = self.plan
        if self.lane == DRY:
            return (DRY, *(self._track(t) for t in plan.tracks), *(self._group(g) for g in plan.groups))
        return tuple(self._return(plan.return_(r)) for r in sorted(feeding_returns(plan, self.lane)))

    def _track(self, track: Track) -> tuple[object, ...]:
        return (self._hashes[track.stem], track.start_s, track.level_db, track.pan, track.mute, track.group)

    @staticmethod
    def _group(group: Group) -> tuple[object, ...]:
        return (group.id, group.level_db, group.mute, group.tone)

    def _return(self, return_: Return) -> tuple[object, ...]:
        plan = self.plan
        effects = [(s.kind, s.on, sorted(s.values.items()), self._heard_by(s)) for s in return_.chain]
        output = None if return_.output == MAIN else self._group(plan.group(return_.output))
        feeds = [(send.send_point, self._source(send.source, send.send_point)) for send in plan.sends_into(return_.id)]
        return (return_.id == self.lane, effects, plan.song.time.tempos.stretches, output, feeds)

    def _heard_by(self, effect: Effect) -> object:
        """Return what an effect hears beside what it is fed."""
        response = None if effect.response is None else self._hashes[effect.response]
        source = None if effect.source is None else self._source(effect.source, "post")
        return response, source

    def _source(self, source: str, tap: str) -> object:
        plan = self.plan
        if any(track.id == source for track in plan.tracks):
            track = plan.track(source)
            return self._track(track)[:2] if tap == "pre" else self._track(track)[:-1]
        if any(group.id == source for group in plan.groups):
            return (self._group(plan.group(source)), [self._track(t) for t in plan.tracks_in(source)])
        return source


_feeds: WeakValueDictionary[str, LaneSegments] = WeakValueDictionary()
"""What returns are fed: the same for all revisions of a plan that differ in nothing that it hears."""
