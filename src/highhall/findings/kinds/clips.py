"""Peaks over full scale.

Limit: a true peak over 0 dBTP (ITU-R BS.1770-4, Annex 2), of main, or of a return as it is printed. Prints in whole
numbers are cut there; converters and coders overshoot from there on.
"""

from collections.abc import Iterator
from dataclasses import replace
from math import log10

import numpy as np

from highhall.findings.finding import FAULT, Evidence, Finding, Kind, Mending
from highhall.findings.heard import Heard
from highhall.measure.lanes import Peaks
from highhall.measure.phrases import FRAME_S
from highhall.plan import MAIN
from highhall.plan.edits import checked, set_return
from highhall.wording import figure

LIMIT_DB = 0.0
_STEP_DB = 1.0
_SHOWN = 200


def _look(heard: Heard) -> Iterator[Finding]:
    parts = heard.peaks or {}
    for key in (MAIN, *(return_.id for return_ in heard.plan.returns)):
        lane = parts.get(key)
        if lane is None or lane.true_peak <= 0:
            continue
        peak_db = 20 * log10(lane.true_peak)
        if peak_db <= LIMIT_DB - 0.5 * _STEP_DB:
            continue
        name = "Main" if key == MAIN else heard.names[key]
        places = _places(lane)
        times = "once" if len(places) <= 1 else f"{len(places)} times"
        yield Finding(
            kind=KIND.name,
            title=f"{name} clips" if peak_db > LIMIT_DB else f"{name} is near full scale",
            sentence=f"Its true peak is {figure(peak_db)} dBTP, {times}. Over 0 dBTP a print in whole numbers is cut.",
            figure=peak_db,
            unit="dB",
            limit=LIMIT_DB,
            excess=peak_db / _STEP_DB,
            return_id="" if key == MAIN else key,
            places=tuple(places[:12]),
            evidence=Evidence(
                shape="levels",
                figures={"here": peak_db, "limit": LIMIT_DB},
                lines={"peaks": [(round(s, 2), round(db, 2)) for s, db in _peaks_db(lane)]},
            ),
        )


def _places(lane: Peaks) -> list[tuple[float, float]]:
    """Return the stretches in which samples lie over full scale, the loudest first; else around the largest sample."""
    over = np.concatenate([[False], lane.peaks > 1.0, [False]])
    edges = np.flatnonzero(np.diff(over.astype(np.int8)))
    found = [
        (float(lane.peaks[a:b].max()), a * FRAME_S, b * FRAME_S) for a, b in zip(edges[::2], edges[1::2], strict=True)
    ]
    if not found:
        at = int(np.argmax(lane.peaks)) * FRAME_S
        return [(at, at + FRAME_S)]
    joined: list[tuple[float, float, float]] = []
    for peak, start, end in found:
        if joined and start - joined[-1][2] < 1.0:
            joined[-1] = (max(peak, joined[-1][0]), joined[-1][1], end)
        else:
            joined.append((peak, start, end))
    return [(start, end) for _, start, end in sorted(joined, reverse=True)]


def _peaks_db(lane: Peaks) -> Iterator[tuple[float, float]]:
    found = lane.along(_SHOWN)
    step = len(lane.peaks) * FRAME_S / len(found)
    for number, peak in enumerate(found):
        yield number * step, 20 * log10(max(float(peak), 1e-3))


def _by_db(finding: Finding) -> float:
    return -round(max(finding.figure, 0.0) + 0.3, 1)


def _mended(_: Heard, finding: Finding) -> Evidence:
    """Return the same peaks, all lower by as much."""
    by_db = _by_db(finding)
    (peaks,) = finding.evidence.lines.values()
    lower = [(s, round(db + by_db, 2)) for s, db in peaks]
    return Evidence(shape="levels", figures={"here": finding.figure + by_db}, lines={"peaks": lower})


def _mend(heard: Heard, finding: Finding) -> Iterator[Mending]:
    by_db = _by_db(finding)
    plan = heard.plan
    if finding.return_id:
        return_ = plan.return_(finding.return_id)
        if return_.level_db is not None:
            level = round(return_.level_db + by_db, 1)
            yield Mending(words=f"{return_.name} {figure(by_db)} dB", plan=set_return(plan, return_.id, level_db=level))
        return
    tracks = tuple(
        replace(t, level_db=None if t.level_db is None else round(t.level_db + by_db, 2)) for t in plan.tracks
    )
    sends = tuple(
        replace(s, level_db=round(s.level_db + by_db, 2)) if s.send_point == "pre" and s.level_db is not None else s
        for s in plan.sends
    )
    yield Mending(
        words=f"All tracks {figure(by_db)} dB",
        keeps="balance and depth stay; the same number of dB can be given back behind it",
        plan=checked(replace(plan, tracks=tracks, sends=sends)),
    )


KIND = Kind(
    name="clips",
    label="Clips",
    looks_at="true peaks of main and every return, rendered",
    look=_look,
    mend=_mend,
    evidence=_mended,
    least=FAULT,
    is_rendered=True,
)
