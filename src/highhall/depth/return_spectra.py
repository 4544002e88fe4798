"""What is fed into every return and what comes out of it at main, by third octave, for middle and side."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from highhall.curves import gain_of_db
from highhall.depth.flow import Flow, track_mixing
from highhall.depth.routes import group_power, pan_mixing
from highhall.depth.spectra import bin_centres_hz
from highhall.depth.stem_table import StemTable
from highhall.measure.third_octaves import CENTRES_HZ, band_edges_hz
from highhall.plan import MAIN, Plan, Send
from highhall.plan.order import return_stages

BandPowers = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class ReturnSpectrum:
    """Mean powers over the whole song, (middle and side, third octaves): what a return is fed, and what of it reaches main.

    Levels that move count as they do on average; pans and widths as they stand.
    """

    fed: BandPowers
    out: BandPowers


def return_spectra(plan: Plan, sounds: StemTable, flow: Flow) -> Mapping[str, ReturnSpectrum]:
    """Return the spectra of all returns, by id."""
    frames = float(np.diff(sounds.spans, axis=1).sum())
    entries = flow.entries
    found: dict[str, ReturnSpectrum] = {}
    before_fader: dict[str, NDArray[np.float64]] = {}
    into = {return_.id: [send for send in plan.sends_into(return_.id) if send.on] for return_ in plan.returns}
    for return_id in (key for stage in return_stages(plan) for key in stage):
        return_ = plan.return_(return_id)
        fed = np.zeros((2, len(bin_centres_hz(sounds.sample_rate))))
        for entry in entries.get(return_id, ()):
            weights = sounds.power[entry.track]
            level = entry.levels if isinstance(entry.levels, float) else _mean(entry.levels, weights)
            energies = sounds.whole[entry.track] * group_power(entry.group, sounds.sample_rate)
            fed += level * (entry.mixing.mean(axis=0) @ energies) / frames
        for send in into[return_id]:
            if send.source in before_fader:
                fed += before_fader[send.source] * _link_power(plan, send)
        chain = flow.chain(return_id, 0)
        made = np.zeros_like(fed) if chain is None else np.einsum("oif,if->of", chain.energies, fed)
        before_fader[return_id] = made
        group = None if return_.output == MAIN else plan.group(return_.output)
        out = _faded(plan, return_id, made) * group_power(group, sounds.sample_rate)
        found[return_id] = ReturnSpectrum(in_thirds(fed, sounds.sample_rate), in_thirds(out, sounds.sample_rate))
    return found


def dry_spectra(plan: Plan, sounds: StemTable) -> Mapping[str, BandPowers]:
    """Return the mean power of every track's dry sound at main, (middle and side, third octaves), by id."""
    frames = float(np.diff(sounds.spans, axis=1).sum())
    groups = {group.id: group for group in plan.groups}
    found = {}
    for track in plan.tracks:
        row = sounds.tracks[track.id]
        mixed = track_mixing(track, "post", is_mono=sounds.is_mono[row]) @ sounds.whole[row]
        power = mixed * group_power(groups[track.group] if track.group else None, sounds.sample_rate) / frames
        found[track.id] = in_thirds(power, sounds.sample_rate)
    return found


def in_thirds(powers: NDArray[np.floating], sample_rate: int) -> BandPowers:
    """Return powers by bin, (..., bins), summed by third octave, (..., bands)."""
    owner = np.searchsorted(band_edges_hz(), bin_centres_hz(sample_rate)) - 1
    inside = (owner >= 0) & (owner < len(CENTRES_HZ))
    table = np.zeros((len(owner), len(CENTRES_HZ)))
    table[np.flatnonzero(inside), owner[inside]] = 1.0
    bands: BandPowers = powers @ table
    return bands


def _mean(levels: NDArray[np.float64], weights: NDArray[np.float64]) -> float:
    total = float(weights.sum())
    return float(levels @ weights) / total if total > 0 else 0.0


def _link_power(plan: Plan, send: Send) -> float:
    source = plan.return_(send.source)
    level = gain_of_db(send.level_db) ** 2
    return level * gain_of_db(None if source.mute else source.level_db) ** 2 if send.send_point == "post" else level


def _faded(plan: Plan, return_id: str, made: NDArray[np.float64]) -> NDArray[np.float64]:
    return_ = plan.return_(return_id)
    wide = made * np.array([[1.0], [return_.width**2]])
    faded: NDArray[np.float64] = (
        pan_mixing(return_.pan) @ wide * gain_of_db(None if return_.mute else return_.level_db) ** 2
    )
    return faded
