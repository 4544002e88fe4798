"""The tail of a phrase that covers the start of the next one.

Limit: 20 dB under the phrase that begins, in K-weighted power of the last 100 ms before it. Noise 15 dB under speech
takes nothing from its transmission index (IEC 60268-16); 5 dB more leave room for onsets that are softer than their
phrase. Phrases under 0.6 s and gaps under 0.3 s are rhythm, and not looked at.
"""

from collections.abc import Iterator
from math import log10

import numpy as np

from highhall.depth.spectra import RANGE_EDGES_HZ
from highhall.depth.spills import Spill, spills_of
from highhall.findings.finding import Evidence, Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.measure import Phrase
from highhall.measure.loudness import HOP_S, k_gain
from highhall.measure.predictions import decays_of
from highhall.measure.third_octaves import CENTRES_HZ
from highhall.plan import Effect, Plan, Return
from highhall.plan.edits import set_effect
from highhall.plan.edits.many_sends import nudge_sends
from highhall.plan.kinds import KINDS as EFFECTS
from highhall.wording import decibels_in_words, figure, seconds_in_words

LIMIT_DB = -20.0
_STEP_DB = 3.0
_SHORTEST_PHRASE_S, _SHORTEST_GAP_S = 0.6, 0.3
_SHOWN_S = 2.0
_LEAST_SHARE = 0.003
_MORE_DB = 0.5
_LEAST_OF_DECAY = 0.6
"""A decay is not made shorter than that share of itself for one source: its send is turned down instead."""


def _look(heard: Heard) -> Iterator[Finding]:
    for track in heard.plan.tracks:
        if heard.focus is not None and heard.focus.source != track.id:
            continue
        phrases = [p for p in heard.phrases.get(track.id, ()) if p.end_s - p.start_s >= _SHORTEST_PHRASE_S]
        spills = [s for s in spills_of(heard.model, track.id, phrases) if s.next_s - s.end_s >= _SHORTEST_GAP_S]
        for return_ in heard.plan.returns:
            over = sorted((s for s in spills if s.return_id == return_.id), key=lambda s: -s.level_db)
            loud = [spill for spill in over if spill.level_db >= LIMIT_DB]
            if over and over[0].level_db >= LIMIT_DB - 0.5 * _STEP_DB:
                yield _finding(heard, over[0], loud or over[:1], phrases)


def _finding(heard: Heard, worst: Spill, places: list[Spill], phrases: list[Phrase]) -> Finding:
    track, name = heard.names[worst.source], heard.names[worst.return_id]
    where = "one place" if len(places) == 1 else f"{len(places)} places"
    return Finding(
        kind=KIND.name,
        title=f"{name} spills over the {track}",
        sentence=(
            f"When the next phrase begins, after a gap of {seconds_in_words(worst.next_s - worst.end_s)}, the {name} still rings at "
            f"{figure(worst.level_db)} dB under it; {where}. Under {figure(LIMIT_DB, 0)} dB first words stand clear."
        ),
        figure=worst.level_db,
        unit="dB",
        limit=LIMIT_DB,
        excess=(worst.level_db - LIMIT_DB) / _STEP_DB,
        source=worst.source,
        return_id=worst.return_id,
        places=tuple((spill.end_s, spill.next_s) for spill in places),
        evidence=_evidence(heard, worst, phrases),
    )


def _mended(heard: Heard, finding: Finding) -> Evidence | None:
    """Return the same tail, if the source still feeds the return."""
    end_s, next_s = finding.places[0]
    around = [
        p for p in heard.phrases[finding.source] if end_s in (p.start_s, p.end_s) or next_s in (p.start_s, p.end_s)
    ]
    spills = spills_of(heard.model, finding.source, around)
    here = next((s for s in spills if s.return_id == finding.return_id and s.next_s == next_s), None)
    return None if here is None else _evidence(heard, here, around)


def _evidence(heard: Heard, worst: Spill, phrases: list[Phrase]) -> Evidence:
    dry, until_s = heard.model.power_of(worst.source), worst.next_s + _SHOWN_S / 2
    (ranges,) = heard.model.tails_of(worst.source, [(worst.end_s, until_s)])[worst.return_id]
    tail = ranges.sum(axis=0)
    following = next(p for p in phrases if p.start_s == worst.next_s)
    first = int(following.start_s / HOP_S)
    loud = float(dry[first : max(int(following.end_s / HOP_S), first + 1)].mean())
    last = min(int(until_s / HOP_S), len(dry))
    hops = range(max(int((worst.end_s - _SHOWN_S) / HOP_S), last - len(tail), 0), last)
    shares = _shares_by_range(heard, worst.source, following)
    at_start = ranges[:, first - 1 - last]
    return Evidence(
        shape="tail",
        figures={"end": worst.end_s, "next": worst.next_s, "here": worst.level_db, "limit": LIMIT_DB},
        lines={
            "dry": [(n * HOP_S, _db(float(dry[n]), loud)) for n in hops],
            "tail": [(n * HOP_S, _db(float(tail[n - last]), loud)) for n in hops],
            "ranges": [
                (hz, _db(float(power), loud * share))
                for hz, power, share in zip(RANGE_EDGES_HZ, at_start, shares, strict=False)
                if share > _LEAST_SHARE
            ],
        },
    )


def _shares_by_range(heard: Heard, track_id: str, phrase: Phrase) -> list[float]:
    """Return which share of a phrase's K-weighted power lies in each range of frequency."""
    stem, start_s = heard.stems[track_id], heard.plan.track(track_id).start_s
    hz = np.array(CENTRES_HZ)
    powers = 10 ** (stem.band_levels_db(phrase.start_s - start_s, phrase.end_s - start_s) / 10)
    weighted = powers * k_gain(hz, heard.plan.song.sample_rate)
    owner = np.searchsorted(RANGE_EDGES_HZ, hz, side="right") - 1
    shares = [float(weighted[owner == number].sum()) for number in range(len(RANGE_EDGES_HZ) - 1)]
    return [share / max(sum(shares), 1e-30) for share in shares]


def _db(power: float, over: float) -> float:
    return round(max(10 * log10(max(power, 1e-30) / max(over, 1e-30)), -48.0), 2)


def _mend(heard: Heard, finding: Finding) -> Iterator[Mending]:
    """Yield a shorter decay, if that can be enough; else less of the source; else both."""
    plan, return_, over = heard.plan, heard.plan.return_(finding.return_id), finding.figure - finding.limit
    reverb = next((e for e in return_.chain if e.on and e.kind == "reverb"), None)
    if reverb is not None:
        before, gap_s = reverb.number("decay_s"), finding.places[0][1] - finding.places[0][0]
        falls = 1 / before + (over + _MORE_DB) / (60 * gap_s)  # of 60 dB, a second
        for share in (1.0, 0.85):
            after = _rounded(share / falls)
            if after >= max(EFFECTS["reverb"].parameter("decay_s").low, _LEAST_OF_DECAY * before):
                words, shorter = _shorter(plan, return_, reverb, after)
                yield Mending(
                    words=words, keeps=f"{_longest(reverb, after, heard)} in its slowest octave", plan=shorter
                )
    if plan.send(finding.source, return_.id) is None:
        return
    for more_db in (0.3, 1.0, 2.5):
        words, quieter = _quieter(heard, plan, finding, round(over + more_db, 1))
        yield Mending(words=words, keeps="the space itself stays", plan=quieter)
    if reverb is not None:
        after = _rounded(max(_LEAST_OF_DECAY * reverb.number("decay_s"), EFFECTS["reverb"].parameter("decay_s").low))
        first, shorter = _shorter(plan, return_, reverb, after)
        for less_db in (over / 2, over + 1, over + 6):
            words, both = _quieter(heard, shorter, finding, round(less_db, 1))
            yield Mending(words=f"{first}; {words}", keeps="pre-delay and colour stay", plan=both)


def _shorter(plan: Plan, return_: Return, reverb: Effect, decay_s: float) -> tuple[str, Plan]:
    words = f"{return_.name}, decay {seconds_in_words(reverb.number('decay_s'))} to {seconds_in_words(decay_s)}"
    return words, set_effect(plan, return_.id, reverb.id, params={"decay_s": decay_s})


def _quieter(heard: Heard, plan: Plan, finding: Finding, by_db: float) -> tuple[str, Plan]:
    pair = finding.source, finding.return_id
    words = f"{heard.names[pair[0]]} to {heard.names[pair[1]]} {decibels_in_words(-by_db)}"
    return words, nudge_sends(plan, [pair], -by_db)


def _rounded(seconds: float) -> float:
    return round(seconds, 1 if seconds >= 1 else 2)


def _longest(reverb: Effect, decay_s: float, heard: Heard) -> str:
    ratio = max(s for _, s in decays_of(reverb, heard.plan.song.sample_rate)) / reverb.number("decay_s")
    return seconds_in_words(decay_s * ratio)


KIND = Kind(
    name="tail-spills",
    label="Tail over the next phrase",
    looks_at="tails of every return at the start of every phrase",
    look=_look,
    mend=_mend,
    evidence=_mended,
)
