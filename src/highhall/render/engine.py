"""The streaming engine: a plan's signal flow, block by block, in bounded memory.

Stem -> track fader -> group or main; sends -> returns in an order in which feeders come first -> group
or main. A group's tone and fader act on each part on its own: filters are linear, so the parts sum to
the whole and can be told apart. Independent parts of a block run on several threads; each part is summed
in the plan's order by one thread, so the number of threads changes no bit.
"""

from collections.abc import Callable, Collection, Mapping, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass
from types import MappingProxyType
from typing import TypeVar

import numpy as np

from highhall.curves import Curve, curve_of, gain_of_db
from highhall.effects import CELL_FRAMES, Chain, Signal, Tone, silence
from highhall.plan import MAIN, Group, Plan, Return, ReturnTarget, Send, SendTarget, Track
from highhall.plan.order import feeding_returns
from highhall.render.mixing import Fader, add_faded, faded, track_gains, widened
from highhall.render.parallel import InOrder, for_each
from highhall.render.sources import AS_IT_IS, SideGains, SourceKey, Sources
from highhall.render.stems import Stems

DRY = "dry"

BLOCK_FRAMES = 131072
"""Frames to go on by where nobody waits for the first of them: long, since threads wait for each other in every block."""

NO_STARTS: Mapping[str, int] = MappingProxyType({})

_Item = TypeVar("_Item")
_Result = TypeVar("_Result")


def send_fader(plan: Plan, send: Send) -> Fader:
    """Return a send's level, switch and pan as curves."""

    def target(param: str) -> SendTarget:
        return SendTarget(source=send.source, target=send.target, param=param)

    return Fader(
        level=curve_of(plan, target("level_db"), send.level_db),
        switch=curve_of(plan, target("on"), send.on),
        pan=curve_of(plan, target("pan"), send.pan),
    )


def return_fader(plan: Plan, return_: Return) -> Fader:
    """Return a return's level, mute and pan as curves."""

    def target(param: str) -> ReturnTarget:
        return ReturnTarget(target=return_.id, param=param)

    return Fader(
        level=curve_of(plan, target("level_db"), return_.level_db),
        switch=curve_of(plan, target("mute"), return_.mute),
        pan=curve_of(plan, target("pan"), return_.pan),
    )


def width_curve(plan: Plan, return_: Return) -> Curve:
    """Return a return's width as a curve."""
    return curve_of(plan, ReturnTarget(target=return_.id, param="width"), return_.width)


class _GroupPath:
    """The way of one part through its group: tone, level, mute; straight through for main."""

    def __init__(self, group: Group | None, sample_rate: int) -> None:
        self._tone = Tone(group.tone, sample_rate) if group else None
        is_open = group is not None and not group.mute
        self._gain = np.float32(gain_of_db(group.level_db) if group and is_open else 0.0)

    @property
    def has_past(self) -> bool:
        """Whether what comes out depends on what came in before."""
        return self._tone is not None

    def process(self, block: Signal, start: int) -> Signal:
        """Return the part behind the group's fader; for main the block itself."""
        if self._tone is None:
            return block
        out = self._tone.process(block, start) * self._gain
        return out.astype(np.float32, copy=False)


class ReturnPath:
    """One return at work, from what is sent to it to what reaches main."""

    def __init__(self, plan: Plan, return_: Return, stems: Stems, starts_at: int = 0) -> None:
        self.id = return_.id
        self.starts_at = starts_at
        self.chain = Chain.of(plan, return_, stems.responses)
        self.feeds = [(s, fader) for s in plan.sends_into(return_.id) if not (fader := send_fader(plan, s)).is_closed]
        self._fader = return_fader(plan, return_)
        self._width = width_curve(plan, return_)
        group = None if return_.output == MAIN else plan.group(return_.output)
        self._group = _GroupPath(group, plan.song.sample_rate)

    @property
    def sources(self) -> set[str]:
        """The ids of all that it hears."""
        return {source for source, _ in self.heard}

    @property
    def heard(self) -> list[SourceKey]:
        """All that it hears."""
        return [(send.source, send.send_point) for send, _ in self.feeds] + [(key, "post") for key in self.chain.keys]

    @property
    def still_feeds(self) -> dict[SourceKey, SideGains]:
        """The feeds whose gains never change, with their gains for left and right."""
        return {(send.source, send.send_point): fader.still for send, fader in self.feeds if fader.still is not None}

    def run_up(self, fed: Signal, sources: Sources, start: int, stop: int) -> None:
        """Go on as `process` does where nothing of what comes out is needed: a fader has no past."""
        if self._group.has_past:
            self.process(fed, sources, start, stop)
        else:
            self._chained(fed, sources, start)

    def process(self, fed: Signal, sources: Sources, start: int, stop: int) -> "ReturnBlock":
        """Return what comes out for what is fed, (2, frames), by the feeds that never change; the others are added here."""
        if stop <= self.starts_at:
            nothing = silence(stop - start)
            return ReturnBlock(nothing, nothing, nothing, nothing)
        for send, fader in self.feeds:
            if fader.still is None:
                add_faded(fed, sources[send.source, send.send_point], fader.gains(start, stop))
        if self.chain.is_silent:
            nothing = silence(stop - start)
            return ReturnBlock(fed, nothing, nothing, nothing)
        out = self._chained(fed, sources, start)
        wide = widened(out, self._width.between(start, stop))
        post = faded(wide, self._fader.gains(start, stop))
        return ReturnBlock(fed, out, post, self._group.process(post, start))

    def _chained(self, fed: Signal, sources: Sources, start: int) -> Signal:
        return self.chain.process(fed, start, {key: sources[key, "post"] for key in self.chain.keys})


@dataclass(frozen=True, slots=True, eq=False)
class ReturnBlock:
    """What is fed to a return, its chain's output, what leaves its fader, and what reaches main."""

    fed: Signal
    pre: Signal
    post: Signal
    at_main: Signal


@dataclass(frozen=True, slots=True, eq=False)
class Block:
    """One stretch of the song as parts, each (2, frames), as they reach main; `fed` is what returns are fed."""

    dry: Signal
    returns: Mapping[str, Signal]
    groups: Mapping[str, Signal]
    fed: Mapping[str, Signal]

    @property
    def main(self) -> Signal:
        """The plain sum of dry and all returns."""
        total = self.dry.copy()
        for part in self.returns.values():
            total += part
        return total

    @property
    def ungrouped(self) -> Signal:
        """What of main goes through no group."""
        total = self.main
        for part in self.groups.values():
            total -= part
        return total

    @property
    def frames(self) -> int:
        """How long it is."""
        frames: int = self.dry.shape[1]
        return frames

    def cut(self, first: int, last: int) -> "Block":
        """Return the frames from `first` to `last`."""

        def parts(of: Mapping[str, Signal]) -> dict[str, Signal]:
            return {key: sound[:, first:last] for key, sound in of.items()}

        return Block(self.dry[:, first:last], parts(self.returns), parts(self.groups), parts(self.fed))

    def copied(self) -> "Block":
        """Return it in memory of its own, so that nothing longer is kept with it."""
        return self.followed_by(self.cut(0, 0))

    def followed_by(self, later: "Block") -> "Block":
        """Return both, one after the other."""

        def parts(before: Mapping[str, Signal], after: Mapping[str, Signal]) -> dict[str, Signal]:
            return {key: np.concatenate([sound, after[key]], axis=1) for key, sound in before.items()}

        return Block(
            np.concatenate([self.dry, later.dry], axis=1),
            parts(self.returns, later.returns), parts(self.groups, later.groups), parts(self.fed, later.fed),
        )  # fmt: skip


class Engine:
    """Renders a plan forward from `start_sample`, in whole cells (`CELL_FRAMES`) whatever it is asked for.

    Its first cell is the one in which it starts, and begins from silence.

    Parameters
    ----------
    lanes: DRY and ids of returns that are wanted; everything that feeds them is worked out too. None is all.
    starts: by return, the sample before which it need not run, since nothing of that is heard any more where it matters.
    tracks_end: the sample from which tracks are silent and only returns ring on.
    executor: runs independent parts of a block side by side; None works in the calling thread.
    """

    def __init__(
        self,
        plan: Plan,
        stems: Stems,
        *,
        start_sample: int = 0,
        lanes: Collection[str] | None = None,
        starts: Mapping[str, int] = NO_STARTS,
        tracks_end: int | None = None,
        executor: Executor | None = None,
    ) -> None:
        wanted = set(lanes) if lanes is not None else {DRY, *(r.id for r in plan.returns)}
        needed = {feeder for lane in wanted - {DRY} for feeder in feeding_returns(plan, lane)}
        self._plan, self._stems = plan, stems
        self._rate = plan.song.sample_rate
        self.position = start_sample
        self._worked_out = start_sample // CELL_FRAMES * CELL_FRAMES
        self._ahead: Block | None = None
        self._tracks_end = tracks_end
        self._is_running = lanes is None or DRY in lanes  # nothing may be left out then
        self._executor = executor
        self._wants_dry = DRY in wanted
        self._wanted = wanted
        self._paths = {
            r.id: ReturnPath(plan, r, stems, starts.get(r.id, start_sample)) for r in plan.returns if r.id in needed
        }
        sources = {source for path in self._paths.values() for source in path.sources}
        heard_groups = {g.id for g in plan.groups if self._wants_dry or g.id in sources}
        self._groups = [g for g in plan.groups if g.id in heard_groups]
        self._group_paths = {g.id: _GroupPath(g, self._rate) for g in self._groups}
        self._tracks = [t for t in plan.tracks if self._wants_dry or t.id in sources or t.group in heard_groups]
        self._sources = Sources()
        for track in self._tracks:  # before the fader: mono in the centre, -3.01 dB a side, stereo unchanged
            channels = stems.samples(track).shape[0]
            post = track_gains(channels, None if track.mute else track.level_db, track.pan)
            points = {(track.id, "post"): post, (track.id, "pre"): track_gains(channels, 0.0, 0.0)}
            self._sources.hold(channels, points)
        heard = {key for path in self._paths.values() for key in path.heard}
        behind = {(group.id, point) for group in self._groups for point in ("pre", "post")}
        behind |= {(path, point) for path in self._paths for point in ("pre", "post")} & heard
        for key in sorted(behind):
            self._sources.hold(2, {key: AS_IT_IS})
        self._plan_mixes()

    def _plan_mixes(self) -> None:
        plan, sources = self._plan, self._sources
        needs = {path.id: path.sources & self._paths.keys() for path in self._paths.values()}
        self._in_order = InOrder({**needs, DRY: ()})
        self._first = [path for path in self._paths.values() if not needs[path.id]]
        self._first_mix = sources.mix(path.still_feeds for path in self._first)
        self._later_mixes = {key: sources.mix([path.still_feeds]) for key, path in self._paths.items() if needs[key]}
        self._group_mixes = {
            g.id: sources.mix([{(t.id, "post"): AS_IT_IS for t in plan.tracks_in(g.id)}]) for g in self._groups
        }
        loose = [track.id for track in plan.tracks_in(None)]
        dry = [*loose, *(group.id for group in self._groups)] if self._wants_dry else []
        self._dry_mix = sources.mix([{(key, "post"): AS_IT_IS for key in dry}])

    @property
    def longest_gap_s(self) -> float:
        """The longest silence that can lie inside what rings on, in seconds."""
        return sum(path.chain.longest_gap_s for path in self._paths.values())

    def rest(self) -> None:
        """Give back the memory that only a block at work needs: what is kept is the state to go on from."""
        self._sources.let_go()

    def _each(self, work: Callable[[_Item], _Result], items: Sequence[_Item]) -> list[_Result]:
        return for_each(self._executor, work, items)

    def advance(self, frames: int) -> Block:
        """Return the next `frames` frames."""
        block, self._ahead, stop = self._ahead, None, self.position + frames
        if block is None or self._worked_out < stop:
            made = self._made(-(-stop // CELL_FRAMES) * CELL_FRAMES - self._worked_out)
            block = block.followed_by(made) if block else made
        first = self.position - self._worked_out + block.frames
        self.position = stop
        if first + frames < block.frames:
            self._ahead = block.cut(first + frames, block.frames).copied()
        return block if frames == block.frames else block.cut(first, first + frames)

    def _made(self, frames: int) -> Block:
        start, stop = self._worked_out, self._worked_out + frames
        self._worked_out = stop
        if not self._is_running and any(path.starts_at >= stop for path in self._paths.values()):
            return self._advanced(
                start, stop, {source for p in self._paths.values() if p.starts_at < stop for source in p.sources}
            )
        self._is_running = True
        return self._advanced(start, stop, None)

    def _advanced(self, start: int, stop: int, sources: set[str] | None) -> Block:
        """Return the block between two samples.

        sources: the tracks and groups that the running returns hear; no others are read. None reads all.
        """
        table = self._sources
        table.begin(stop - start)
        groups = [g for g in self._groups if sources is None or g.id in sources]
        grouped = {g.id for g in groups}
        tracks = [t for t in self._tracks if sources is None or t.id in sources or t.group in grouped]
        self._each(lambda track: self._track(track, start, stop), tracks)
        self._each(lambda group: self._group(group, start), groups)
        fed = dict(zip((p.id for p in self._first), table.mixed(self._first_mix, self._executor), strict=True))
        at_main: dict[str, Signal] = {}

        def work(lane: str) -> None:
            if lane == DRY:
                (at_main[DRY],) = table.mixed(self._dry_mix)
                return
            if lane not in fed:
                (fed[lane],) = table.mixed(self._later_mixes[lane])
            at_main[lane] = self._returned(self._paths[lane], fed[lane], start, stop)

        self._in_order.run(self._executor, work)
        return self._collected(at_main, fed)

    def _returned(self, path: ReturnPath, fed: Signal, start: int, stop: int) -> Signal:
        block = path.process(fed, self._sources, start, stop)
        for point, sound in (("post", block.post), ("pre", block.pre)):
            if (path.id, point) in self._sources:
                self._sources.room((path.id, point))[:] = sound
        return block.at_main

    def _track(self, track: Track, start: int, stop: int) -> None:
        last = stop if self._tracks_end is None else min(max(self._tracks_end, start), stop)
        room = self._sources.room((track.id, "post"))
        room[:, : last - start] = self._stems.read(track, self._rate, start, last)
        room[:, last - start :] = 0

    def _group(self, group: Group, start: int) -> None:
        (before,) = self._sources.mixed(self._group_mixes[group.id])
        self._sources.room((group.id, "pre"))[:] = before
        self._sources.room((group.id, "post"))[:] = self._group_paths[group.id].process(before, start)

    def _collected(self, at_main: Mapping[str, Signal], fed: Mapping[str, Signal]) -> Block:
        returns = {r.id: at_main[r.id] for r in self._plan.returns if r.id in self._wanted}
        groups = {}
        if self._wants_dry:
            for group in self._groups:
                whole = self._sources[group.id, "post"].copy()
                for return_ in self._plan.returns:
                    if return_.output == group.id and return_.id in at_main:
                        whole += at_main[return_.id]
                groups[group.id] = whole
        return Block(at_main[DRY], returns, groups, {key: fed[key] for key in returns})
