"""A section in which space drowns the dry sound.

Limit: wet over dry of all sources together at -6 dB, or 6 dB over the song's median section where the section is not
the deepest on purpose. Taken as noise 6 dB under speech, space leaves a transmission index of 0.7, (6 + 15) / 30 (IEC
60268-16), the last that counts as good; the median is what the song itself takes for its depth.
"""

import statistics
from collections.abc import Iterator

from highhall.depth.deepening import deepen
from highhall.errors import CoreError
from highhall.findings.finding import Evidence, Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.plan import ReturnTarget
from highhall.wording import figure

MOST_DB = -6.0
OVER_MEDIAN_DB = 6.0
_STEP_DB = 3.0


def _look(heard: Heard) -> Iterator[Finding]:
    levels = {section.id: heard.section_wet_db(section.id) for section in heard.sections}
    known = {key: level for key, level in levels.items() if level is not None}
    if not known:
        return
    median, deepest = statistics.median(known.values()), max(known, key=lambda key: known[key])
    meant = {
        value.section for move in heard.plan.moves for value in move.sections if isinstance(move.target, ReturnTarget)
    }
    meant |= {target.section for target in heard.plan.targets if target.section}
    for key, level in known.items():
        is_meant = key == deepest and key in meant
        over_song = median + OVER_MEDIAN_DB if len(known) > 2 and not is_meant else MOST_DB
        limit = min(MOST_DB, over_song)
        if level < limit - _STEP_DB:
            continue
        name = heard.plan.song.section(key).name
        why = (
            "of the dry sound"
            if limit == MOST_DB
            else f"of the dry sound; the song's middle section lies at {figure(median)} dB"
        )
        yield Finding(
            kind=KIND.name,
            title=f"{name} is very wet",
            sentence=f"All spaces and echoes together make {figure(level)} dB {why}. Over {figure(limit)} dB words and attacks drown.",
            figure=level,
            unit="dB",
            limit=limit,
            excess=(level - limit) / _STEP_DB,
            section=key,
            places=(heard.span(key),),
            evidence=Evidence(
                shape="levels",
                figures={"limit": limit, "median": median, "here": level},
                lines={"sections": [(heard.span(each)[0], value) for each, value in known.items()]},
                names=[heard.plan.song.section(each).name for each in known],
            ),
        )


def _mended(heard: Heard, finding: Finding) -> Evidence:
    line = [(heard.span(each.id)[0], heard.section_wet_db(each.id)) for each in heard.sections]
    here = heard.section_wet_db(finding.section)
    return Evidence(
        shape="levels",
        figures={"here": finding.limit if here is None else here},
        lines={"sections": [(at, level) for at, level in line if level is not None]},
    )


def _mend(heard: Heard, finding: Finding) -> Iterator[Mending]:
    section = finding.section or ""
    for more_db in (0.2, 1.0, 2.0, 4.0):
        factor = round(10 ** (-(finding.figure - finding.limit + more_db) / 20), 2)
        try:
            found = deepen(heard.model, section, max(factor, 0.1))
        except CoreError:
            continue
        name = heard.plan.song.section(section).name
        yield Mending(
            words=f"{name} {figure(factor, 2)} times as deep",
            keeps=f"its spaces {figure(found.by_db)} dB, the mix of spaces stays",
            plan=found.plan,
        )


KIND = Kind(
    name="too-wet",
    label="Too wet",
    looks_at="wet against dry sound of every section",
    look=_look,
    mend=_mend,
    evidence=_mended,
)
