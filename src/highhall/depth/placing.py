"""Placing sources: the levels of sends at which they sound so far away as they are wanted.

The sends that are free move by the same number of dB, so that the mix of spaces stays, and only where one of them comes to the
end of its range do the others take the rest. The solution is found in closed form from the powers of the model, put into
the plan, and read again, until the ratio is right; what rings over from other sections and pre-fader sends are in it then.
"""

import math
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from highhall.curves import gain_of_db
from highhall.depth.model import DepthModel
from highhall.depth.readings import Reading, ratio_db
from highhall.depth.spaces import is_space, suiting_spaces
from highhall.errors import CoreError
from highhall.plan import Plan, Send, SendTarget
from highhall.plan.edits import checked
from highhall.plan.edits.moves import Cell, value_in, with_cells, with_move
from highhall.plan.edits.wishes import Wish, with_targets
from highhall.plan.kinds import LEVEL
from highhall.wording import figure

LOWEST_DB, HIGHEST_DB = -60.0, 6.0
EXACT_DB = 0.01
_ROUNDS = 12
_NEW_SEND_DB = -20.0

Pair = tuple[str, str]


@dataclass(frozen=True, slots=True, kw_only=True)
class LevelChange:
    """A send's level in a section, or with None its own, before and after; None is silence, or no send yet."""

    source: str
    target: str
    section: str | None
    before_db: float | None
    after_db: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Placed:
    """What becomes of one wish.

    distance_m: where the source is then. nearest_m, farthest_m: the reach of what is free. reason: why it is not where it
    is wanted; empty if it is. trim_db: by how much its fader is changed so that it stays as loud.
    """

    source: str
    section: str | None
    wanted_m: float
    distance_m: float
    nearest_m: float
    farthest_m: float
    reason: str = ""
    trim_db: float = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Proposal:
    """An edit that was worked out: the plan that it makes, and what of it is changed."""

    plan: Plan
    placed: tuple[Placed, ...]
    changes: tuple[LevelChange, ...]


def place(
    model: DepthModel,
    wishes: Mapping[Wish, float],
    *,
    free: Collection[str] | None = None,
    keeps_loudness: bool = False,
) -> Proposal:
    """Return the sends at which sources are where they are wanted, in metres, by source and section; None is the whole song.

    For the whole song the sends' own levels change, and those of sections by as much. The wishes become targets of the plan.

    Parameters
    ----------
    free: the returns into which sends may change; None is all spaces. keeps_loudness: whether the source's fader makes up for
    what its space adds or takes.

    Raises
    ------
    CoreError
        If a source is not there, silent, or can be placed by nothing.
    """
    plan = model.plan
    placed = []
    order = [item.id for items in (plan.tracks, plan.groups) for item in items]
    for wish in wishes:
        if wish[0] not in order:
            raise CoreError(f'there is no track or group "{wish[0]}" to place')
    for wish, distance_m in sorted(wishes.items(), key=lambda item: (order.index(item[0][0]), str(item[0][1]))):
        solver = _Solver(model.edited(plan), wish, distance_m, free)
        found = solver.solved(keeps_loudness=keeps_loudness)
        plan = solver.model.plan
        placed.append(found)
    plan = checked(with_targets(plan, wishes))
    return Proposal(plan=plan, placed=tuple(placed), changes=tuple(level_changes(model.plan, plan)))


def level_changes(plan: Plan, other: Plan) -> Iterator[LevelChange]:
    """Yield the levels of sends that differ between two plans."""
    sections = [None, *(section.id for section in plan.song.sections)]
    for send in other.sends:
        for section in sections:
            levels = [level_of(each, (send.source, send.target), section) for each in (plan, other)]
            is_own = section is None or _has_section(other, send, section)
            if is_own and levels[0] != levels[1]:
                yield LevelChange(
                    source=send.source,
                    target=send.target,
                    section=section,
                    before_db=levels[0],
                    after_db=levels[1],
                )


def _has_section(plan: Plan, send: Send, section: str) -> bool:
    move = plan.move(_target(send.source, send.target))
    return move is not None and any(value.section == section for value in move.sections)


def _target(source: str, target: str) -> SendTarget:
    return SendTarget(source=source, target=target, param="level_db")


def level_of(plan: Plan, pair: Pair, section: str | None) -> float | None:
    """Return the level of a send that holds in a section, with None its own; None is silence, or no send."""
    send = plan.send(*pair)
    if send is None:
        return None
    if section is None:
        return send.level_db
    cell: Cell = (_target(*pair), section)
    value = value_in(plan, cell)
    return float(value) if isinstance(value, (int, float)) else None


class _Solver:
    """Works at one wish; `model` is that of the plan as it is by then."""

    def __init__(self, model: DepthModel, wish: Wish, distance_m: float, free: Collection[str] | None) -> None:
        self.model, self._wanted_m = model, distance_m
        self._source, self._section = wish
        plan = model.plan
        group = next((group for group in plan.groups if group.id == self._source), None)
        self._is_group = group is not None
        self._tracks = [t.id for t in plan.tracks_in(self._source)] if group else [self._source]
        self._sources = {self._source, *self._tracks}
        self._name = plan.names[self._source]
        spaces = {return_.id for return_ in plan.returns if is_space(return_)}
        self._free = spaces if free is None else set(free)
        self._place = model.places.index(self._section)
        self._wet_db = plan.space.wet_db_at(distance_m)

    def solved(self, *, keeps_loudness: bool) -> Placed:
        """Change the plan so that the wish is fulfilled as far as can be, and say how far that is."""
        if self._reading.dry_power is None:
            where = "in the whole song" if self._section is None else f"in {self._section_name}"
            raise CoreError(f"{self._name} is silent {where}; there is nothing to place")
        before = self._dry + self._wet
        if not self._free_pairs():
            self._add_sends()
        nearest, farthest = self._reach()
        self._solve()
        trim_db = 0.0
        if keeps_loudness:
            trim_db = self._trim(before)
            self._solve()
        reached = ratio_db(self._wet, self._dry)
        distance_m = self.model.plan.space.distance_m(reached)
        is_there = abs(reached - self._wet_db) <= 2 * EXACT_DB
        if not is_there:  # what rings over from the section before is known only now
            nearest, farthest = (distance_m, farthest) if reached > self._wet_db else (nearest, distance_m)
        return Placed(
            source=self._source,
            section=self._section,
            wanted_m=self._wanted_m,
            distance_m=distance_m,
            nearest_m=nearest,
            farthest_m=farthest,
            reason="" if is_there else self._reason(reached),
            trim_db=trim_db,
        )

    # what the model says

    @property
    def _section_name(self) -> str:
        return self.model.plan.song.section(self._section or "").name

    @property
    def _reading(self) -> Reading:
        return self.model.readings[self._source, self._section]

    @property
    def _dry(self) -> float:
        return self._reading.dry_power or 0.0

    @property
    def _wet(self) -> float:
        return self._reading.wet_power

    def _power_by_pair(self) -> dict[Pair, float]:
        """Return what each send makes of the source."""
        found: dict[Pair, float] = {}
        for (track, pair, _), powers in self.model.send_powers.items():
            reading = self.model.readings[track, self._section]
            if track in self._tracks and reading.dry_power is not None:
                together = reading.together
                found[pair] = found.get(pair, 0.0) + float(powers[self._place]) * together
        return found

    def _free_pairs(self) -> list[Pair]:
        """Return the sends that may change: those of the source, and of a group's tracks, that are heard."""
        return [
            (send.source, send.target)
            for send in self.model.plan.sends
            if send.source in self._sources and send.target in self._free and send.on and self._is_heard(send)
        ]

    def _is_heard(self, send: Send) -> bool:
        pair = send.source, send.target
        own = level_of(self.model.plan, pair, self._section)
        if self._section is None:
            own = max(
                (level for s in self.model.places if (level := level_of(self.model.plan, pair, s)) is not None),
                default=None,
            )
        return own is not None

    # solving

    def _reach(self) -> tuple[float, float]:
        """Return the nearest and the farthest distance that what is free allows."""
        pairs, powers = self._free_pairs(), self._power_by_pair()
        fixed = sum(power for pair, power in powers.items() if pair not in pairs)
        space = self.model.plan.space

        def distance(of: float) -> float:
            wet = fixed + sum(powers.get(pair, 0.0) * gain_of_db(of - self._level(pair)) ** 2 for pair in pairs)
            return space.distance_m(max(ratio_db(wet, self._dry), -120.0))

        return distance(LOWEST_DB), distance(HIGHEST_DB)

    def _level(self, pair: Pair) -> float:
        level = level_of(self.model.plan, pair, self._section)
        return LOWEST_DB if level is None else level

    def _solve(self) -> None:
        """Change the free sends until the ratio is right, or they are at the end of their range."""
        for _ in range(_ROUNDS):
            wet = self._dry * 10 ** (self._wet_db / 10)
            if abs(ratio_db(self._wet, wet)) <= EXACT_DB / 2:
                return
            levels = self._levels_for(wet)
            if not levels:
                return
            self._put(levels)

    def _levels_for(self, wet: float) -> dict[Pair, float]:
        """Return the levels of the free sends at which they and the fixed ones make a wet power; none if they have them."""
        pairs, powers = self._free_pairs(), self._power_by_pair()
        before = {pair: self._level(pair) for pair in pairs}
        fixed = self._wet - sum(powers.get(pair, 0.0) for pair in pairs)

        def moved(by_db: float) -> dict[Pair, float]:
            return {pair: min(max(level + by_db, LOWEST_DB), max(HIGHEST_DB, level)) for pair, level in before.items()}

        def made(by_db: float) -> float:
            after = moved(by_db)
            return fixed + sum(powers.get(p, 0.0) * gain_of_db(after[p] - before[p]) ** 2 for p in pairs)

        low, high = -130.0, 130.0
        for _ in range(60):
            middle = (low + high) / 2
            low, high = (middle, high) if made(middle) < wet else (low, middle)
        after = {pair: round(level, 3) for pair, level in moved((low + high) / 2).items()}
        return {} if after == {pair: round(level, 3) for pair, level in before.items()} else after

    def _put(self, levels: Mapping[Pair, float]) -> None:
        """Give free sends other levels where the wish holds."""
        plan = self.model.plan
        for pair, level in levels.items():
            if self._section is not None:
                plan = with_cells(plan, {(_target(*pair), self._section): level})
            else:
                plan = _with_levels_shifted(plan, pair, level - self._level(pair))
        self.model = self.model.edited(plan)

    def _add_sends(self) -> None:
        """Send the source into the spaces that suit its distance, for it has no send yet that may change."""
        plan = self.model.plan
        spaces = [(r, share) for r, share in suiting_spaces(plan, self._wanted_m) if r.id in self._free]
        if not spaces:
            raise CoreError(f"no return with a space may change for {self._name}; add a reverb, or free a return")
        for return_, share in spaces:
            level = round(_NEW_SEND_DB + 10 * math.log10(share), 3)
            plan = _with_send(plan, self._source, return_.id, level, self._section)
        self.model = self.model.edited(plan)

    def _trim(self, before: float) -> float:
        """Change the source's fader so that dry and wet are as loud together as before; return by how much."""
        plan = self.model.plan
        items = plan.groups if self._is_group else plan.tracks
        item = next(each for each in items if each.id == self._source)
        if item.level_db is None:
            return 0.0
        wanted = item.level_db + ratio_db(before, self._dry + self._wet)
        level = round(min(max(wanted, LEVEL.low), LEVEL.high), 2)
        changed = tuple(replace(each, level_db=level) if each is item else each for each in items)
        plan = replace(plan, groups=changed) if self._is_group else replace(plan, tracks=changed)  # type: ignore[arg-type]
        self.model = self.model.edited(plan)
        return round(level - item.level_db, 2)

    def _reason(self, reached: float) -> str:
        """Return why the source is not where it is wanted."""
        names, pairs = self.model.plan.names, self._free_pairs()
        at = f"{figure(self.model.plan.space.distance_m(reached), 1)} m"
        if reached > self._wet_db:
            powers = self._power_by_pair()
            fixed = sorted((pair for pair in powers if pair not in pairs), key=lambda pair: -powers[pair])
            kept = " and ".join(dict.fromkeys(names[target] for _, target in fixed[:2]))
            return f"with {kept} as it is, not nearer than {at}" if kept else f"not nearer than {at}"
        free = " and ".join(dict.fromkeys(names[target] for _, target in pairs))
        return f"with {free} at {HIGHEST_DB:+g} dB, not farther than {at}" if free else f"not farther than {at}"


def _with_levels_shifted(plan: Plan, pair: Pair, by_db: float) -> Plan:
    """Return the plan with a send's own level, and those that it has in sections, so many dB higher; silence stays."""

    def shifted(level: object) -> float | None:
        if not isinstance(level, (int, float)):
            return None
        return round(min(max(level + by_db, LOWEST_DB), max(HIGHEST_DB, level)), 3)

    sends = tuple(
        replace(send, level_db=shifted(send.level_db)) if (send.source, send.target) == pair else send
        for send in plan.sends
    )
    plan = replace(plan, sends=sends)
    move = plan.move(_target(*pair))
    if move is None:
        return plan
    values = tuple(replace(value, value=shifted(value.value)) for value in move.sections)
    return with_move(plan, replace(move, sections=values))


def _with_send(plan: Plan, source: str, target: str, level: float, section: str | None) -> Plan:
    own = level if section is None else None
    there = plan.send(source, target)
    sends: Sequence[Send] = plan.sends
    if there is None:
        sends = (*plan.sends, Send(source=source, target=target, level_db=own))
    elif section is None:
        sends = [replace(send, level_db=own, on=True) if send is there else send for send in plan.sends]
    plan = replace(plan, sends=tuple(sends))
    return plan if section is None else with_cells(plan, {(_target(source, target), section): level})
