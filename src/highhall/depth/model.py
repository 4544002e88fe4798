"""The depth model: the dry power of every source in every section, and what it makes through every return.

A source's power along the song goes through each route that it is sent into: times the level of the send in every tenth
of a second, spread out in time by the chain, times the level of the return, and so on to main. By frequency a route is one
factor a section, from the energies of the source there and the responses of the chains. So levels that move, throws and
what rings over from the section before count. Phases between returns do not: their powers add.
"""

import math
from collections.abc import Mapping, Sequence
from functools import cached_property, partial
from types import MappingProxyType

import numpy as np

from highhall.depth.corrections import Correction, alone_key, correction, merged
from highhall.depth.flow import Flow, track_mixing
from highhall.depth.measuring import Measured
from highhall.depth.readings import Reading, together
from highhall.depth.responses import ChainResponse
from highhall.depth.return_spectra import BandPowers, ReturnSpectrum, dry_spectra, return_spectra
from highhall.depth.routes import group_power
from highhall.depth.sources import sections_of
from highhall.depth.spectra import bin_centres_hz, k_weights
from highhall.depth.stem_table import SILENCE_POWER, Powers, StemTable, with_whole
from highhall.effects import NO_RESPONSES, Response
from highhall.measure.loudness import HOP_S
from highhall.plan import Group, Plan, Track

SILENT_SHARE = 0.004
"""Of the power in its loudest section: where a source has less, only what rings on of it is heard, and it has no place."""

NO_CORRECTIONS: Mapping[str, Correction] = MappingProxyType({})


class DepthModel:
    """How wet every track of a plan is in every section.

    Parameters
    ----------
    sounds: the stems of the plan's tracks; what is worked out is kept with them, so that an edit costs what it changes.
    responses: impulse responses by path, at the song's rate. corrections: of sources that were rendered alone, by track.
    """

    def __init__(
        self,
        plan: Plan,
        sounds: StemTable,
        responses: Mapping[str, Response] = NO_RESPONSES,
        corrections: Mapping[str, Correction] = NO_CORRECTIONS,
    ) -> None:
        self.plan, self._sounds, self.responses, self.corrections = plan, sounds, responses, corrections

    def edited(self, plan: Plan) -> "DepthModel":
        """Return the model of another plan with the same song and stems."""
        return DepthModel(plan, self._sounds, self.responses, self.corrections)

    def corrected(self, found: Mapping[str, Measured]) -> "DepthModel":
        """Return the model that agrees with what was measured of some sources of this plan, and of others is as it was."""
        plain = DepthModel(self.plan, self._sounds, self.responses).wet_powers
        new = {
            key: merged(self.corrections.get(key), correction(self.plan, key, plain[self._sounds.tracks[key]], each))
            for key, each in found.items()
        }
        return DepthModel(self.plan, self._sounds, self.responses, {**self.corrections, **new})

    @property
    def is_quick(self) -> bool:
        """Whether no more than one chain has to be heard first, so that it can be read while someone waits."""
        return len(self._flow.unheard_chains()) <= 1

    @cached_property
    def _flow(self) -> Flow:
        return Flow(self.plan, self._sounds, self.responses)

    @property
    def places(self) -> list[str | None]:
        """The sections by id, in time order, and None for the whole song."""
        return [*(section.id for section in sections_of(self.plan)), None]

    @cached_property
    def readings(self) -> dict[tuple[str, str | None], Reading]:
        """The reading of every track and group in every section, and with None in the whole song, by their ids."""
        returns, places = [return_.id for return_ in self.plan.returns], self.places
        silence = np.maximum(self.dry_powers.max(axis=1) * SILENT_SHARE, SILENCE_POWER).tolist()
        found = {}
        for track in self.plan.tracks:
            row = self._sounds.tracks[track.id]
            of_source = self.corrections.get(track.id)
            is_heard = of_source is not None and of_source.key == alone_key(self.plan, track.id)
            dry_powers, wet_powers = self.dry_powers[row].tolist(), self.wet_powers[row].T.tolist()
            for place, section in enumerate(places):
                dry, wet = dry_powers[place], zip(returns, wet_powers[place], strict=True)
                found[track.id, section] = Reading(
                    source=track.id,
                    section=section,
                    dry_power=dry if dry >= silence[row] else None,
                    by_return={return_id: power for return_id, power in wet if power > 0},
                    together=float(of_source.together[place]) if of_source else 1.0,
                    is_measured=is_heard and of_source is not None and bool(of_source.is_known[place]),
                )
        for group in self.plan.groups:
            members = [track.id for track in self.plan.tracks_in(group.id)]
            for section in places:
                found[group.id, section] = together(group.id, [found[member, section] for member in members])
        return found

    def distance_m(self, source: str, section: str | None) -> float | None:
        """Return how far away a source seems to be, in metres; None where it is silent, or feeds nothing that sounds."""
        wet_db = self.readings[source, section].wet_db
        return None if wet_db is None or wet_db == -math.inf else self.plan.space.distance_m(wet_db)

    @cached_property
    def return_spectra(self) -> Mapping[str, ReturnSpectrum]:
        """What is fed into every return and what comes out of it, by section and third octave."""
        return return_spectra(self.plan, self._sounds, self._flow)

    @cached_property
    def dry_spectra(self) -> Mapping[str, BandPowers]:
        """The dry sound of every track at main, (sections and the whole song, middle and side, third octaves), in mean power."""
        return dry_spectra(self.plan, self._sounds)

    def chain_of(self, return_id: str) -> ChainResponse | None:
        """Return what a return's chain does at the start of the song; None if it is silent."""
        return self._flow.chain(return_id, 0)

    def power_of(self, track_id: str) -> Powers:
        """Return the K-weighted power of a track at main in every hop of 100 ms, as if its group never moved, (hops,)."""
        row, sounds = self._sounds.tracks[track_id], self._sounds
        before = with_whole(sounds.weighted[row] / np.diff(sounds.spans, axis=1)[:, 0], sounds.spans)[-1]
        power: Powers = sounds.power[row] * (self.dry_powers[row, -1] / max(before, 1e-30))
        return power

    def tails_of(self, track_id: str, spans_s: Sequence[tuple[float, float]]) -> dict[str, list[Powers]]:
        """Return what a track makes at main by hop through each return, were it silent from a time on.

        spans_s: from when it is silent, and until when its tail is wanted, in seconds. By return one series a span, (ranges of frequency,
        hops), in K-weighted power; its last hop is the one before the end of the span.
        """
        spans = [(round(silent / HOP_S), min(int(until / HOP_S), self._sounds.hops)) for silent, until in spans_s]
        return self._flow.tails(self._sounds.tracks[track_id], spans)

    def brightness_hz(self, track_id: str) -> float | None:
        """Return the frequency over which half of a source's K-weighted energy lies; None for a silent one."""
        rate = self._sounds.sample_rate
        energies = self._sounds.energies[self._sounds.tracks[track_id]].sum(axis=(0, 1)) * k_weights(rate)
        gathered = np.cumsum(energies, dtype=np.float64)
        if not gathered[-1] > 0:
            return None
        return float(bin_centres_hz(rate)[np.searchsorted(gathered, gathered[-1] / 2)])

    def width_of(self, track_id: str, section: str | None) -> float:
        """Return how wide a source is where it sounds, 0 for a point to 1: the share of side in dry sound and space together.

        Space is taken for diffuse, half middle and half side.
        """
        reading, row = self.readings[track_id, section], self._sounds.tracks[track_id]
        if reading.dry_power is None:
            return 0.0
        places = slice(None) if section is None else slice(place := self.places.index(section), place + 1)
        middle, side = (self._sounds.energies[row, places] @ k_weights(self._sounds.sample_rate)).sum(axis=0).tolist()
        sides = reading.dry_power * side / max(middle + side, 1e-30) + reading.wet_power / 2
        share: float = 2 * sides / (reading.dry_power + reading.wet_power)
        return min(math.sqrt(share), 1.0)

    @cached_property
    def dry_powers(self) -> Powers:
        """The power of every track at main, (tracks, sections + 1), the whole song last."""
        groups = {group.id: group for group in self.plan.groups}
        powers = np.zeros((len(self._sounds.tracks), len(self.places)))
        for track in self.plan.tracks:
            row, group = self._sounds.tracks[track.id], groups[track.group] if track.group else None
            key = (row, track.level_db, track.pan, track.mute, group)
            powers[row] = self._sounds.dry.of(key, partial(self._dry, row, track, group))
        return powers

    def _dry(self, row: int, track: Track, group: Group | None) -> Powers:
        sounds, rate = self._sounds, self._sounds.sample_rate
        by_row = sounds.energies[row] @ (k_weights(rate) * group_power(group, rate))
        out = track_mixing(track, "post", is_mono=sounds.is_mono[row]).sum(axis=0)
        return with_whole(by_row @ out / np.diff(sounds.spans, axis=1)[:, 0], sounds.spans)

    @cached_property
    def wet_powers(self) -> Powers:
        """The power of every track through every return at main, (tracks, returns, sections + 1), the whole song last."""
        order = {return_.id: number for number, return_ in enumerate(self.plan.returns)}
        total = np.zeros((len(self._sounds.tracks), len(order), len(self.places)))
        for entries, end, powers in self._flow.parts():
            np.add.at(total, ([entry.track for entry in entries], order[end]), powers)
        for track, of_source in self.corrections.items():
            for end, factor in of_source.by_return.items():
                if end in order:
                    total[self._sounds.tracks[track], order[end]] *= factor
        return total

    @cached_property
    def send_powers(self) -> dict[tuple[str, tuple[str, str], str], Powers]:
        """What each track makes at main by each send, (sections + 1,): by track, (source, target) of the send, and last return."""
        ids = {row: track_id for track_id, row in self._sounds.tracks.items()}
        found: dict[tuple[str, tuple[str, str], str], Powers] = {}
        for entries, end, powers in self._flow.parts():
            for entry, made in zip(entries, powers, strict=True):
                key = (ids[entry.track], (entry.send.source, entry.send.target), end)
                of_source = self.corrections.get(ids[entry.track])
                factor = of_source.by_return.get(end, 1.0) if of_source else 1.0
                found[key] = found.get(key, 0.0) + made * factor
        return found
