"""How wet each source is in each section, and how far away that sounds.

The wet-to-dry ratio is the K-weighted power that a source makes through all returns over its K-weighted
dry power. Both come from the power spectrum of the stem in the section and the energy spectrum of each
return's response to an impulse, so nothing is rendered: a prediction for steady sound, which leaves out
what rings over a section's border. Returns that feed each other are followed through.

References
----------
H. Kuttruff, "Room Acoustics", 6th ed. (2016), section 5.1 (critical distance, Q V / T60).
ITU-R BS.1770-4 for K-weighting.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft as scipy_fft

from highhall.curves import gain_of_db
from highhall.effects import NO_RESPONSES, Response
from highhall.measure.loudness import k_gain
from highhall.measure.pictures import hit_response
from highhall.plan import MAIN, Plan, Return, Section, Track
from highhall.plan.order import return_stages
from highhall.render import Stems
from highhall.render.engine import return_fader, send_fader, width_curve
from highhall.render.mixing import Fader

BINS = 2048
_SILENCE_POWER = 10 ** ((-70 + 0.691) / 10)  # the absolute gate of BS.1770: a noise floor is no source

Spectrum = NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class WetReading:
    """One source in one section: wet over dry in dB, None where it is silent, and by return."""

    source: str
    section: str
    wet_db: float | None
    by_return: Mapping[str, float]


def distance_m(wet_db: float, critical_distance_m: float) -> float:
    """Return the distance at which a source with this wet-to-dry ratio seems to be, in metres."""
    return critical_distance_m * 10 ** (wet_db / 20)


def power_spectrum(samples: NDArray[np.float32], sample_rate: int) -> Spectrum:
    """Return the mean power by frequency, (BINS // 2 + 1,), summed over channels; zeros for silence.

    Welch's method: Hann windows of BINS samples that overlap by half, a second of sound at a time.
    """
    window = np.hanning(BINS + 1)[:BINS].astype(np.float32)
    hop = BINS // 2
    at_once = max(sample_rate // hop, 1)
    total = np.zeros(BINS // 2 + 1)
    count = max((samples.shape[-1] - BINS) // hop + 1, 0)
    for first in range(0, count, at_once):
        last = min(first + at_once, count)
        stretch = np.atleast_2d(samples)[:, first * hop : (last - 1) * hop + BINS]
        if not stretch.any():
            continue
        frames = np.lib.stride_tricks.sliding_window_view(stretch, BINS, axis=-1)[:, ::hop]
        total += np.sum(np.abs(scipy_fft.rfft(frames * window, axis=-1)) ** 2, axis=(0, 1), dtype=np.float64)
    scale = 2 / (sample_rate * float(np.sum(window.astype(np.float64) ** 2)))
    scaled: Spectrum = total * scale / max(count, 1)
    return scaled


def chain_energy(return_: Return, plan: Plan, responses: Mapping[str, Response] = NO_RESPONSES) -> Spectrum:
    """Return a return's energy response by frequency: power out over power fed, both sides, no fader.

    The mean over a hit on either side, as `hit_response` makes it.
    """
    rate = plan.song.sample_rate
    energy = np.zeros(BINS // 2 + 1)
    for side in range(2):
        response = hit_response(return_, plan.song, responses, side=side)
        if response is None:
            return energy
        length = scipy_fft.next_fast_len(response.shape[1], real=True)
        power = np.abs(scipy_fft.rfft(response, length, axis=1)) ** 2
        fine = np.fft.rfftfreq(length, 1 / rate)
        edges = np.arange(BINS // 2 + 2) * rate / BINS - rate / BINS / 2
        owner = np.clip(np.searchsorted(edges, fine, side="right") - 1, 0, BINS // 2)
        sums = np.bincount(owner, power.sum(axis=0), BINS // 2 + 1)
        energy += 0.5 * sums / np.maximum(np.bincount(owner, minlength=BINS // 2 + 1), 1)
    return energy


def track_spectra(plan: Plan, stems: Stems) -> dict[tuple[str, str], Spectrum]:
    """Return the power spectrum of every stem in every section, before any fader."""
    rate, time = plan.song.sample_rate, plan.song.time
    return {
        (track.id, section.id): power_spectrum(
            stems.read(track, rate, time.sample_at(section.start), time.sample_at(section.end)), rate
        )
        for track in plan.tracks
        for section in plan.song.sections
    }


def wetness_of(
    plan: Plan,
    spectra: Mapping[tuple[str, str], Spectrum],
    energies: Mapping[str, Spectrum],
    section: Section,
) -> list[WetReading]:
    """Return how wet each track is in a section.

    Parameters
    ----------
    spectra: from `track_spectra`. energies: `chain_energy` by return id.
    """
    middle = _middle_sample(plan, section)
    rate = plan.song.sample_rate
    weight = k_gain(np.linspace(0, rate / 2, BINS // 2 + 1), rate)
    through = {r.id: power_gain(return_fader(plan, r), middle) * _width_power(plan, r, middle) for r in plan.returns}
    gains = {(s.source, s.target): (s.send_point, power_gain(send_fader(plan, s), middle)) for s in plan.sends}
    order = [return_id for stage in return_stages(plan) for return_id in stage]
    return [
        _reading(plan, track, section, spectra[track.id, section.id], weight, energies, through, gains, order)
        for track in plan.tracks
    ]


def _middle_sample(plan: Plan, section: Section) -> int:
    time = plan.song.time
    return (time.sample_at(section.start) + time.sample_at(section.end)) // 2


def power_gain(fader: Fader, sample: int) -> float:
    """Return the power gain of a fader at a sample of the song, the mean of both sides."""
    left, right = fader.gains(sample, sample + 1)
    return float((np.ravel(left)[0] ** 2 + np.ravel(right)[0] ** 2) / 2)


def _width_power(plan: Plan, return_: Return, sample: int) -> float:
    """Return the power gain of the width for uncorrelated sides: (1 + w^2) / 2."""
    curve = width_curve(plan, return_)
    width = curve.at(sample)
    return (1 + width * width) / 2


def _reading(
    plan: Plan,
    track: Track,
    section: Section,
    spectrum: Spectrum,
    weight: Spectrum,
    energies: Mapping[str, Spectrum],
    through: Mapping[str, float],
    gains: Mapping[tuple[str, str], tuple[str, float]],
    order: list[str],
) -> WetReading:
    fader = 0.0 if track.mute else gain_of_db(track.level_db) ** 2
    group = plan.group(track.group) if track.group else None
    group_gain = 1.0 if group is None else 0.0 if group.mute else gain_of_db(group.level_db) ** 2
    dry = float(np.sum(spectrum * weight)) * fader * group_gain
    if dry * plan.song.sample_rate / BINS < _SILENCE_POWER:
        return WetReading(source=track.id, section=section.id, wet_db=None, by_return={})
    at_point = {(track.id, "post"): spectrum * fader, (track.id, "pre"): spectrum}
    if group is not None:
        at_point[group.id, "post"] = spectrum * fader * group_gain
        at_point[group.id, "pre"] = spectrum * fader
    by_return = {}
    for return_id in order:
        fed = sum(
            (at_point[source, point] * gain for (source, target), (point, gain) in gains.items()
             if target == return_id and (source, point) in at_point),
            np.zeros_like(spectrum),
        )  # fmt: skip
        out = fed * energies[return_id]
        at_point[return_id, "pre"], at_point[return_id, "post"] = out, out * through[return_id]
        output = plan.return_(return_id).output
        to = plan.group(output) if output != MAIN else None
        output_gain = 1.0 if to is None else 0.0 if to.mute else gain_of_db(to.level_db) ** 2
        heard = float(np.sum(out * weight)) * through[return_id] * output_gain
        if heard > 0:
            by_return[return_id] = 10 * math.log10(heard / dry)
    total = sum(10 ** (level / 10) for level in by_return.values())
    wet_db = 10 * math.log10(total) if total > 0 else -math.inf
    return WetReading(source=track.id, section=section.id, wet_db=wet_db, by_return=by_return)
