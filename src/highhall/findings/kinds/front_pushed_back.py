"""A source that belongs in front, yet stands behind the others.

Limit: 1.25 times as far away as the median of the others, and farther than 1.5 m: what is nearer is in front whatever
the others do. The finest that is told apart is 5 to 6 dB of direct over reverberant sound (Zahorik 2002, "Direct-to-reverberant
energy ratio sensitivity"); this is 1.9 dB, a third of that, since all others give a measure to compare with.
"""

import statistics
from collections.abc import Iterator

from highhall.depth.drafting import DRY, proposed_row
from highhall.depth.placing import place
from highhall.errors import CoreError
from highhall.findings.finding import LOOK, Evidence, Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.plan import Track
from highhall.plan.edits.wishes import Wish
from highhall.plan.wishes import NEAREST_M
from highhall.wording import figure

LIMIT = 1.25
_STEP = 0.5
_FRONT_TO_M, _IN_FRONT_M = 3.0, 1.5
_LEAST_OTHERS = 2


def _look(heard: Heard) -> Iterator[Finding]:
    for track in heard.plan.tracks:
        if not _belongs_in_front(heard, track):
            continue
        ratios = {}
        for section in heard.sections:
            others = _others(heard, track, section.id)
            own = heard.model.distance_m(track.id, section.id)
            if own is not None and own > _IN_FRONT_M and len(others) >= _LEAST_OTHERS:
                ratios[section.id] = (own / statistics.median(others), own, others)
        over = {key: found for key, found in ratios.items() if found[0] >= LIMIT - 0.5 * _STEP * 0.5}
        if not over:
            continue
        worst = max(over, key=lambda key: over[key][0])
        ratio, own, others = over[worst]
        shown = [key for key in over if over[key][0] >= LIMIT] or [worst]
        yield Finding(
            kind=KIND.name,
            title=f"{track.name} is pushed back",
            sentence=(
                f"In {heard.plan.song.section(worst).name} it stands at {figure(own)} m, {figure(ratio, 2)} times as far as the others "
                f"in their median ({figure(statistics.median(others))} m). What leads is nearer, or as near."
            ),
            figure=ratio,
            unit="times",
            limit=LIMIT,
            excess=(ratio - LIMIT) / _STEP,
            source=track.id,
            section=worst if len(shown) == 1 else None,
            places=tuple(heard.span(key) for key in sorted(shown, key=lambda key: -over[key][0])),
            evidence=Evidence(
                shape="metres",
                figures={"here": own, "median": statistics.median(others), "limit": LIMIT * statistics.median(others)},
                lines={"others": [(metres, 0.0) for metres in sorted(others)]},
            ),
        )


def _mended(heard: Heard, finding: Finding) -> Evidence:
    worst = next(section.id for section in heard.sections if heard.span(section.id) == finding.places[0])
    return Evidence(shape="metres", figures={"here": heard.model.distance_m(finding.source, worst) or 0.5})


def _belongs_in_front(heard: Heard, track: Track) -> bool:
    targets = [t.distance_m for t in heard.plan.targets if t.source == track.id]
    if targets:
        return min(targets) < _FRONT_TO_M
    groups = {group.id: group.name for group in heard.plan.groups}
    row, why = proposed_row(track.name, groups.get(track.group or "", ""))
    return row == "front" and why == "leads"


def _others(heard: Heard, track: Track, section: str) -> list[float]:
    """Return how far away the others are; those that are dry by what they are, as a bass is, give no measure."""
    others = [other for other in heard.plan.tracks if other.id != track.id and proposed_row(other.name)[0] != DRY]
    found = (heard.model.distance_m(other.id, section) for other in others)
    return [metres for metres in found if metres is not None]


def _mend(heard: Heard, finding: Finding) -> Iterator[Mending]:
    name = heard.names[finding.source]
    sections = [s.id for s in heard.sections if heard.span(s.id) in finding.places]
    for share in (1.15, 1.0, 0.8):
        wishes: dict[Wish, float] = {
            (finding.source, key): max(round(share * statistics.median(others), 1), NEAREST_M)
            for key in sections
            if (others := _others(heard, heard.plan.track(finding.source), key))
        }
        try:
            found = place(heard.model, wishes)
        except CoreError:
            return
        where = heard.plan.song.section(sections[0]).name if len(sections) == 1 else f"{len(sections)} sections"
        nearest = figure(min(each.distance_m for each in found.placed))
        yield Mending(
            words=f"{name} to {nearest} m in {where}", keeps="by its sends into spaces; echoes stay", plan=found.plan
        )


KIND = Kind(
    name="front-pushed-back",
    label="Pushed back",
    looks_at="distances of what leads against the others",
    look=_look,
    mend=_mend,
    evidence=_mended,
    least=LOOK,
)
