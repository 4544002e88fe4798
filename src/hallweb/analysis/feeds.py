"""How much power each feed brings into a return, by third octave, from what was measured of the stems."""

import numpy as np
from numpy.typing import NDArray

from hallweb.analysis.stems import stored_analysis
from hallweb.songs.models import Stem
from highhall.curves import gain_of_db
from highhall.measure.third_octaves import CENTRES_HZ
from highhall.plan import Plan, Send, Track
from highhall.render.engine import send_fader
from highhall.render.mixing import Fader


def feed_bands(song_id: int, plan: Plan, return_id: str, start_s: float, end_s: float) -> NDArray[np.float64]:
    """Return (feeds, bands): mean powers of all tracks that reach a return by a send of their own or their group's.

    Sends as they stand in the middle of the stretch; what other returns feed on is left out.
    """
    stems = {stem.path: stem for stem in Stem.objects.filter(song_id=song_id)}
    middle = round((start_s + end_s) / 2 * plan.song.sample_rate)
    powers = [
        _band_powers(stems.get(track.stem), track, start_s, end_s, plan.song.sample_rate)
        * _fader(plan, track, send)
        * _power_gain(send_fader(plan, send), middle)
        for send in plan.sends_into(return_id)
        for track in plan.tracks
        if send.source in (track.id, track.group)
    ]
    return np.array(powers) if powers else np.zeros((0, len(CENTRES_HZ)))


def _band_powers(
    stem: Stem | None, track: Track, start_s: float, end_s: float, sample_rate: int
) -> NDArray[np.float64]:
    analysis = stored_analysis(stem, sample_rate) if stem else None
    if analysis is None:
        return np.zeros(len(CENTRES_HZ))
    powers: NDArray[np.float64] = 10 ** (
        analysis.band_levels_db(max(start_s - track.start_s, 0), max(end_s - track.start_s, 0)) / 10
    )
    return powers


def _fader(plan: Plan, track: Track, send: Send) -> float:
    """Return the power gain on the way to a send's point."""
    if send.source == track.id:
        return 1.0 if send.send_point == "pre" else _gain(track.level_db, track.mute)
    group = plan.group(send.source)
    own = _gain(track.level_db, track.mute)
    return own if send.send_point == "pre" else own * _gain(group.level_db, group.mute)


def _gain(level_db: float | None, mute: bool) -> float:
    return 0.0 if mute else gain_of_db(level_db) ** 2


def _power_gain(fader: Fader, sample: int) -> float:
    """Return the power gain of a fader at a sample of the song, the mean of both sides."""
    left, right = fader.gains(sample, sample + 1)
    return float((np.ravel(left)[0] ** 2 + np.ravel(right)[0] ** 2) / 2)
