"""What is fed into every return and what comes out of it at main, by section and third octave, for middle and side."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from highhall.curves import gain_of_db
from highhall.depth.entry import Entry
from highhall.depth.flow import Flow, track_mixing
from highhall.depth.responses import ChainResponse
from highhall.depth.routes import group_power, pan_mixing
from highhall.depth.spectra import bin_centres_hz
from highhall.depth.stem_table import StemTable
from highhall.measure.third_octaves import CENTRES_HZ, band_edges_hz
from highhall.plan import MAIN, Plan, Send
from highhall.plan.order import return_stages

BandPowers = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class ReturnSpectrum:
    """What a return is fed, and what of it reaches main, in mean power.

    (sections and the whole song, middle and side, third octaves). Sends that move count as they do on average in a section; levels,
    pans and widths of returns as they stand.
    """

    fed: BandPowers
    out: BandPowers


def return_spectra(plan: Plan, sounds: StemTable, flow: Flow) -> Mapping[str, ReturnSpectrum]:
    """Return the spectra of all returns, by id."""
    entries = flow.entries
    found: dict[str, ReturnSpectrum] = {}
    before_fader: dict[str, NDArray[np.float64]] = {}
    into = {return_.id: [send for send in plan.sends_into(return_.id) if send.on] for return_ in plan.returns}
    for return_id in (key for stage in return_stages(plan) for key in stage):
        return_ = plan.return_(return_id)
        fed = np.zeros((len(sounds.spans), 2, len(bin_centres_hz(sounds.sample_rate))))
        for entry in entries.get(return_id, ()):
            energies = sounds.energies[entry.track] * group_power(entry.group, sounds.sample_rate)
            fed += _levels(entry, sounds)[:, None, None] * (entry.mixing @ energies)
        for send in into[return_id]:
            if send.source in before_fader:
                fed += before_fader[send.source] * _link_power(plan, send)
        made = np.stack([_through(flow.chain(return_id, place), each) for place, each in enumerate(fed)])
        before_fader[return_id] = made
        group = None if return_.output == MAIN else plan.group(return_.output)
        out = _faded(plan, return_id, made) * group_power(group, sounds.sample_rate)
        found[return_id] = ReturnSpectrum(_powers(fed, sounds), _powers(out, sounds))
    return found


def dry_spectra(plan: Plan, sounds: StemTable) -> Mapping[str, BandPowers]:
    """Return the mean power of every track's dry sound at main, by id.

    (sections and the whole song, middle and side, third octaves).
    """
    groups = {group.id: group for group in plan.groups}
    found = {}
    for track in plan.tracks:
        row = sounds.tracks[track.id]
        mixed = track_mixing(track, "post", is_mono=sounds.is_mono[row]) @ sounds.energies[row]
        energies = mixed * group_power(groups[track.group] if track.group else None, sounds.sample_rate)
        found[track.id] = _powers(energies, sounds)
    return found


def in_thirds(powers: NDArray[np.floating], sample_rate: int) -> BandPowers:
    """Return powers by bin, (..., bins), summed by third octave, (..., bands)."""
    owner = np.searchsorted(band_edges_hz(), bin_centres_hz(sample_rate)) - 1
    inside = (owner >= 0) & (owner < len(CENTRES_HZ))
    table = np.zeros((len(owner), len(CENTRES_HZ)))
    table[np.flatnonzero(inside), owner[inside]] = 1.0
    bands: BandPowers = powers @ table
    return bands


def _powers(energies: NDArray[np.floating], sounds: StemTable) -> BandPowers:
    """Return energies by section and bin as mean powers by section and third octave, with those of the whole song behind them."""
    frames = np.diff(sounds.spans, axis=1)[:, 0].astype(np.float64)
    by_section = in_thirds(energies, sounds.sample_rate)
    whole = by_section.sum(axis=0, keepdims=True) / frames.sum()
    return np.concatenate([by_section / frames[:, None, None], whole])


def _levels(entry: Entry, sounds: StemTable) -> NDArray[np.float64]:
    """Return the power gain of a send in every section, (sections,): its mean over what its track sounds there."""
    count = len(sounds.spans)
    if isinstance(entry.levels, float):
        return np.full(count, entry.levels)
    weights = sounds.power[entry.track]
    let_in = np.bincount(sounds.owner, weights * entry.levels, count)
    levels: NDArray[np.float64] = let_in / np.maximum(np.bincount(sounds.owner, weights, count), 1e-30)
    return levels


def _through(chain: ChainResponse | None, fed: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.zeros_like(fed) if chain is None else np.einsum("oif,if->of", chain.energies, fed)


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
