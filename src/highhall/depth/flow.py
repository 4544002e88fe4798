"""What the sources of a plan make through one route: their power along the song, and by section at main."""

from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property, lru_cache, partial
from hashlib import sha1

import numpy as np
from numpy.typing import NDArray
from scipy import signal as scipy_signal

from highhall.curves import gain_of_db
from highhall.depth.entry import Entry
from highhall.depth.responses import ChainResponse, chain_response
from highhall.depth.routes import (
    Mixing,
    Route,
    group_power,
    mixing,
    pan_mixing,
    return_levels,
    route_weights,
    routes_of,
    send_levels,
    send_target,
)
from highhall.depth.spectra import Energies, ranges
from highhall.depth.stem_table import Powers, StemTable
from highhall.effects import Response
from highhall.plan import MAIN, EffectTarget, Group, Move, Plan, Return, Send, SendTarget, Target, Track
from highhall.render.engine import send_fader
from highhall.render.mixing import track_gains


def digest(*facts: object) -> str:
    """Return a short name for facts that are told by what they are written as."""
    return sha1(repr(facts).encode(), usedforsecurity=False).hexdigest()


def track_mixing(track: Track, point: str, *, is_mono: bool) -> Mixing:
    """Return the powers of middle and side that leave a track for 1 in each row of its energies, (2, 2)."""
    level, pan = (None if track.mute else track.level_db, track.pan) if point == "post" else (0.0, 0.0)
    return _mixing(level, pan, is_mono=is_mono)


@lru_cache(maxsize=1024)
def _mixing(level_db: float | None, pan: float, *, is_mono: bool) -> Mixing:
    left, right = track_gains(1 if is_mono else 2, level_db, pan)
    return mixing(left, right) * np.array([[2.0, 0.0], [2.0, 0.0]]) if is_mono else mixing(left, right)


class Flow:
    """The sources of a plan on their ways to main."""

    def __init__(self, plan: Plan, sounds: StemTable, responses: Mapping[str, Response]) -> None:
        self._plan, self._sounds, self._responses = plan, sounds, responses
        self._moves: dict[Target, Move] = {move.target: move for move in plan.moves}
        self._moved: dict[str, list[Move]] = {}
        for move in plan.moves:
            if not isinstance(move.target, SendTarget):
                self._moved.setdefault(move.target.target, []).append(move)
        targets = (move.target for move in plan.moves)
        self._moved_sends = {(target.source, target.target) for target in targets if isinstance(target, SendTarget)}
        song = plan.song
        self._time = digest(song.sample_rate, song.meters, song.tempos)
        self._song = digest(
            self._time, song.end, [(section.id, section.start, section.end) for section in song.sections]
        )
        self._feeders = digest(self._song, plan.tracks, plan.groups)
        self._facts = {return_.id: self._return_facts(return_) for return_ in plan.returns}

    def _return_facts(self, return_: Return) -> str:
        group = None if return_.output == MAIN else self._plan.group(return_.output)
        return digest(self._song, return_, self._moved.get(return_.id), group)

    def parts(self) -> Iterator[tuple[Sequence[Entry], str, Powers]]:
        """Yield what enters each route, the return that it ends in, and what the entries make there, (entries, sections + 1).

        Powers at main; the whole song comes last.
        """
        entries = self.entries
        for route in routes_of(self._plan):
            entering = entries.get(route.returns[0])
            if entering and all(self.chain(return_id, 0) for return_id in route.returns):
                yield entering, route.returns[-1], self._through(route, entering)

    def tails(self, track: int, spans: Sequence[tuple[int, int]]) -> dict[str, list[Powers]]:
        """Return what a track makes at main through each return, were it silent from a hop on.

        spans: the hop from which it is silent, and the one before which the tail is wanted. By the return that a route ends in, one
        series a span, (ranges, hops), whose last hop is the one before the second of the span.
        """
        found: dict[str, list[Powers]] = {}
        for route in routes_of(self._plan):
            for entry in self.entries.get(route.returns[0], ()):
                if entry.track == track and all(self.chain(return_id, 0) for return_id in route.returns):
                    tails = self._tails_through(route, entry, spans)
                    known = found.get(route.returns[-1])
                    found[route.returns[-1]] = (
                        tails if known is None else [_added(*pair) for pair in zip(known, tails, strict=True)]
                    )
        return found

    def _tails_through(self, route: Route, entry: Entry, spans: Sequence[tuple[int, int]]) -> list[Powers]:
        sounds, chains = self._sounds, [self.chain(return_id, 0) for return_id in route.returns]
        envelopes = [chain.envelopes for chain in chains if chain is not None]
        lead = sum(envelope.shape[1] for envelope in envelopes)
        shares = self._shares(route, self._route_key(route), entry)
        levels = [self._levels_behind(route, number) for number in range(len(route.returns))]
        found = []
        for silent, until in spans:
            first = max(silent - lead, 0)
            here = slice(first, max(until, first + 1))
            power = np.where(np.arange(here.start, here.stop) < silent, sounds.power[entry.track, here], 0.0)
            series = power * shares[:, sounds.owner[here]]
            series *= entry.levels if isinstance(entry.levels, float) else entry.levels[here]
            for envelope, level in zip(envelopes, levels, strict=True):
                series = scipy_signal.fftconvolve(series, envelope, axes=1)[:, : series.shape[1]] * level[here]
            found.append(np.maximum(series, 0.0))
        return found

    def _levels_behind(self, route: Route, number: int) -> Powers:
        """Return the power gain by hop from behind a route's chain to before the next one, or to main."""
        hops, link = self._sounds.hops, route.links[number] if number < len(route.links) else None
        levels = np.ones(hops)
        if link is None or link.send_point == "post":
            levels = levels * return_levels(self._plan, route.returns[number], hops)
        return levels if link is None else levels * send_levels(self._plan, link, hops)

    def chain(self, return_id: str, place: int) -> ChainResponse | None:
        """Return the response of a return's chain in a section; None if it is silent."""
        key, at = self._chain_key(return_id, place)
        return_ = self._plan.return_(return_id)
        return self._sounds.chains.of(key, lambda: chain_response(self._plan, return_, at, self._responses))

    def unheard_chains(self) -> set[str]:
        """Return the ids of the returns that are fed and whose chains were not heard yet."""
        entries = self.entries
        fed = {
            return_id for route in routes_of(self._plan) if route.returns[0] in entries for return_id in route.returns
        }
        return {return_id for return_id in fed if not self._sounds.chains.has(self._chain_key(return_id, 0)[0])}

    def _chain_key(self, return_id: str, place: int) -> tuple[str, int]:
        """Return what a chain's response depends on, and the sample of the song from which it is heard."""
        moved = [move for move in self._moved.get(return_id, ()) if isinstance(move.target, EffectTarget)]
        at = self._sounds.middle_sample(place) if moved else 0
        return digest(self._song if moved else self._time, self._plan.return_(return_id).chain, moved, at), at

    @cached_property
    def entries(self) -> dict[str, tuple[Entry, ...]]:
        """What enters each return from tracks and groups; the same object as long as it is the same."""
        sends: dict[str, list[Send]] = {}
        for send in self._plan.sends:
            sends.setdefault(send.target, []).append(send)
        moves: dict[str, list[Move]] = {}
        for move in self._plan.moves:
            if isinstance(move.target, SendTarget):
                moves.setdefault(move.target.target, []).append(move)
        found = {}
        for target, into in sends.items():
            key = (self._feeders, tuple(into), tuple(moves.get(target, ())))
            if entering := self._sounds.entries.of(key, partial(self._of_sends, into)):
                found[target] = entering
        return found

    def _of_sends(self, sends: Sequence[Send]) -> tuple[Entry, ...]:
        return tuple(entry for send in sends for entry in self._of_send(send))

    def _of_send(self, send: Send) -> Iterator[Entry]:
        number = self._sounds.tracks.get(send.source)
        group = None if number is not None else next((g for g in self._plan.groups if g.id == send.source), None)
        if number is None and group is None:
            return
        levels = self._send_levels(send)
        if isinstance(levels, float) and levels == 0:
            return
        panned = self._panned(send)
        if number is not None:
            track = self._plan.tracks[number]
            yield Entry(number, send, None, self._let_in(track, send.send_point, panned), levels)
        else:
            behind = group if send.send_point == "post" else None
            for track in self._plan.tracks:
                if track.group == send.source:
                    row = self._sounds.tracks[track.id]
                    yield Entry(row, send, behind, self._let_in(track, "post", panned), levels)

    def _let_in(self, track: Track, point: str, panned: Powers | None) -> Powers:
        mixed = track_mixing(track, point, is_mono=self._sounds.is_mono[self._sounds.tracks[track.id]])
        return mixed[None] if panned is None else panned @ mixed

    def _send_levels(self, send: Send) -> float | Powers:
        if (send.source, send.target) not in self._moved_sends:
            return gain_of_db(send.level_db) ** 2 if send.on else 0.0
        key = (self._song, send, *(self._moves.get(send_target(send, param)) for param in ("level_db", "on")))
        return self._sounds.levels.of(key, lambda: send_levels(self._plan, send, self._sounds.hops))

    def _panned(self, send: Send) -> Powers | None:
        """Return what a send's pan makes of middle and side, (1 or sections, 2, 2); None in the centre."""
        target = send_target(send, "pan")
        if (send.source, send.target) not in self._moved_sends or target not in self._moves:
            return pan_mixing(send.pan)[None] if send.pan else None
        _, _, curve = send_fader(self._plan, send).curves
        middles = range(len(self._sounds.spans))
        return np.stack([pan_mixing(curve.at(self._sounds.middle_sample(place))) for place in middles])

    def _through(self, route: Route, entering: tuple[Entry, ...]) -> Powers:
        """Return what each of some entries makes at main through a route, (entries, sections + 1)."""
        route_key = self._route_key(route)
        return self._sounds.routes.of((route_key, entering), lambda: self._made(route, route_key, entering))

    def _route_key(self, route: Route) -> str:
        links = [(link, [self._moves.get(send_target(link, p)) for p in _LINK_PARAMS]) for link in route.links]
        return digest([self._facts[return_id] for return_id in route.returns], links)

    def _made(self, route: Route, route_key: str, entering: Sequence[Entry]) -> Powers:
        """Return what entries make through a route, of which some may be known from before an edit."""
        kept = self._sounds.powers
        keys = [(route_key, digest(entry.group) if entry.group else None, *entry.key) for entry in entering]
        found = [kept.get(key) for key in keys]
        missing = [number for number, powers in enumerate(found) if powers is None]
        if missing:
            made = self._sounds.by_section(self._series(route, route_key, [entering[number] for number in missing]))
            for number, powers in zip(missing, made, strict=True):
                found[number] = kept.keep(keys[number], powers)
        return np.stack([
            powers * (entry.levels if isinstance(entry.levels, float) else 1.0)
            for entry, powers in zip(entering, found, strict=True)
            if powers is not None
        ])  # fmt: skip

    def _series(self, route: Route, route_key: str, entering: Sequence[Entry]) -> Powers:
        """Return the power of entries at main by hop, (entries, hops), where a level stands still at 0 dB."""
        sounds = self._sounds
        shares = np.stack([self._shares(route, route_key, entry) for entry in entering])
        rows = [entry.track for entry in entering]
        series = sounds.power[rows][:, None] * np.take(shares, sounds.owner, axis=2)
        for number, entry in enumerate(entering):
            if not isinstance(entry.levels, float):
                series[number] *= entry.levels
        for number, return_id in enumerate(route.returns):
            chain = self.chain(return_id, 0)
            if chain is None:
                return np.zeros((len(entering), sounds.hops))
            series = scipy_signal.fftconvolve(series, chain.envelopes[None], axes=2)[:, :, : sounds.hops]
            series *= self._levels_behind(route, number)
        heard: Powers = np.maximum(series.sum(axis=1), 0.0)
        return heard

    def _shares(self, route: Route, route_key: str, entry: Entry) -> Powers:
        """Return how much of an entry's K-weighted power is heard at main in the end, (ranges, sections), levels apart."""
        sounds, group_key = self._sounds, digest(entry.group) if entry.group else None
        factors = sounds.factors.of((route_key, group_key), lambda: self._factors(route, entry.group))
        made = np.einsum(
            "xic,rxci->rx", np.broadcast_to(entry.mixing, (len(sounds.spans), 2, 2)), factors[:, entry.track]
        )
        weighted, is_silent = sounds.weighted[entry.track], sounds.is_silent[entry.track]
        if is_silent.all():
            return np.zeros((len(made), len(is_silent)))
        usual = made[:, ~is_silent].sum(axis=1, keepdims=True) / weighted[~is_silent].sum()
        return np.where(is_silent, usual, made / np.maximum(weighted, 1e-30))

    def _factors(self, route: Route, group: Group | None) -> Powers:
        """Return what is heard of each row of energies through a route's entry as middle or side, by range of frequency.

        (ranges, tracks, sections, rows, middle and side).
        """
        sounds = self._sounds
        entry = group_power(group, sounds.sample_rate)

        def weights(place: int) -> NDArray[np.float32]:
            chains = [chain for return_id in route.returns if (chain := self.chain(return_id, place))]
            found = route_weights(self._plan, route, chains, sounds.middle_sample(place)) * entry
            return np.ascontiguousarray(found.T, np.float32)

        def by_range(energies: Energies, weights: NDArray[np.float32]) -> Powers:
            parts = [energies[..., bins] @ weights[bins] for bins in ranges(sounds.sample_rate)]
            return np.stack(parts).astype(np.float64)

        if not self._moves_along(route):
            return by_range(sounds.energies, weights(0))
        places = range(len(sounds.spans))
        return np.stack([by_range(sounds.energies[:, place], weights(place)) for place in places], axis=2)

    def _moves_along(self, route: Route) -> bool:
        """Whether anything moves along a route but levels."""
        moves = [move for return_id in route.returns for move in self._moved.get(return_id, ())]
        if any(isinstance(move.target, EffectTarget) or move.target.param in ("pan", "width") for move in moves):
            return True
        return any(send_target(link, "pan") in self._moves for link in route.links)


def _added(one: Powers, other: Powers) -> Powers:
    """Return the sum of two series that end together."""
    long, short = (one, other) if one.shape[1] >= other.shape[1] else (other, one)
    total = long.copy()
    total[:, long.shape[1] - short.shape[1] :] += short
    return total


_LINK_PARAMS = ("level_db", "on", "pan")
