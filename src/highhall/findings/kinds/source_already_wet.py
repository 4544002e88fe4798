"""A stem that brings a room of its own and is fed like the dry ones.

Limit: a reverberance of its own of 0.4 s, and as wet as its dry neighbours, or not 3 dB less. A treated recording
room lies under 0.3 s (EBU Tech 3276: 0.2 to 0.4 s for control rooms); two rooms one behind the other add up to a
longer one (their decays convolve).
"""

import statistics
from collections.abc import Iterator

from highhall.depth.placing import place
from highhall.errors import CoreError
from highhall.findings.finding import LOOK, Evidence, Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.plan import Track
from highhall.wording import figure, seconds_in_words

LIMIT_S = 0.4
_STEP_S = 0.3
_LESS_DB = 3.0


def _look(heard: Heard) -> Iterator[Finding]:
    own = {track.id: _decay_s(heard, track) for track in heard.plan.tracks}
    for track in heard.plan.tracks:
        decay_s, wet_db = own[track.id], heard.wet_db(track.id, None)
        neighbours = _neighbours(heard, track, own)
        if decay_s is None or wet_db is None or not neighbours or decay_s < LIMIT_S * 0.75:
            continue
        median = statistics.median(neighbours)
        if wet_db <= median - _LESS_DB:
            continue
        yield Finding(
            kind=KIND.name,
            title=f"{track.name} comes with a room",
            sentence=(
                f"The stem itself rings for {seconds_in_words(decay_s)}, and it is fed {figure(wet_db)} dB where the dry ones have {figure(median)} dB in their "
                f"median. With 3 dB less than they its own room is enough."
            ),
            figure=decay_s,
            unit="s",
            limit=LIMIT_S,
            excess=(decay_s - LIMIT_S) / _STEP_S,
            source=track.id,
            evidence=Evidence(
                shape="slope",
                figures={"here": decay_s, "limit": LIMIT_S},
                lines={"tail": [(0.0, 0.0), (decay_s, -60.0)]},
            ),
        )


def _decay_s(heard: Heard, track: Track) -> float | None:
    found = heard.stems[track.id].reverberance
    return None if found is None or found.uncertainty_s > 0.5 * found.decay_s else found.decay_s


def _neighbours(heard: Heard, track: Track, own: dict[str, float | None]) -> list[float]:
    """Return how wet the dry tracks of its group are, or if there are none, all dry ones."""
    dry = [t for t in heard.plan.tracks if t.id != track.id and (own[t.id] or 0.0) < LIMIT_S * 0.75]
    levels = {t.id: heard.wet_db(t.id, None) for t in dry}
    of_group = [level for t in dry if t.group == track.group and (level := levels[t.id]) is not None]
    return of_group or [level for level in levels.values() if level is not None]


def _mend(heard: Heard, finding: Finding) -> Iterator[Mending]:
    track = heard.plan.track(finding.source)
    neighbours = _neighbours(heard, track, {t.id: _decay_s(heard, t) for t in heard.plan.tracks})
    for less_db in (_LESS_DB + 0.3, _LESS_DB + 2):
        metres = heard.plan.space.distance_m(statistics.median(neighbours) - less_db)
        try:
            found = place(heard.model, {(track.id, None): max(round(metres, 2), 0.2)})
        except CoreError:
            return
        at = figure(found.placed[0].distance_m)
        yield Mending(
            words=f"{track.name} to {at} m by its sends into spaces", keeps="echoes stay as they are", plan=found.plan
        )


KIND = Kind(
    name="source-already-wet",
    label="Comes with a room",
    looks_at="the stems' own decays against how they are fed",
    look=_look,
    mend=_mend,
    most=LOOK,
)
