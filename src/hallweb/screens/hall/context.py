"""What the Hall screen shows."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from hallweb.audition.proposals import keep_proposal
from hallweb.screens.common.charts import styles
from hallweb.screens.common.context import sentence_of
from hallweb.screens.hall.long_section import long_section
from hallweb.screens.hall.pictures import legend, shapes_of, tokens_of
from hallweb.screens.hall.scale import LONG, PLAN, row_of
from hallweb.screens.hall.state import HallState
from hallweb.songs.actions import SongState
from highhall.depth import DepthModel
from highhall.depth.drift import alike_sections, drifts, target_of
from highhall.depth.placing import Placed, Proposal, level_of, place
from highhall.depth.spaces import is_space
from highhall.errors import CoreError
from highhall.plan import Plan, Section
from highhall.wording import figure

_DRIFT_DB = 0.5
_METRES = (1, 2, 3, 4, 6, 8, 12)
_BAR_LOW_DB, _BAR_HIGH_DB, _BAR_PX = -40.0, 6.0, 52.0

NAMED_SPACES = {
    "chamber": ("a chamber", 600.0, 1.0),
    "hall": ("a concert hall", 20000.0, 2.5),
    "church": ("a church", 60000.0, 5.0),
}
"""Rooms that one may have in mind: name, volume in m3, decay in s."""

_SPACE_FIELDS = (
    ("volume_m3", "volume", "m\N{SUPERSCRIPT THREE}"),
    ("decay_s", "decay", "s"),
    ("directivity", "directivity", ""),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class PlaceRow:
    """A source in the table of places. change: in metres against the section before; nothing where it was silent there."""

    source: str
    name: str
    row: str
    distance_m: float | None
    change: str
    enters: bool
    state: str
    is_held: bool
    is_first: bool = False


def hall_context(opened: SongState, state: HallState, model: DepthModel | None, problem: str = "") -> dict[str, Any]:
    """Return all that the page shows; without a model that it is being made ready, or why it cannot be."""
    sections = sorted(opened.plan.song.sections, key=lambda section: section.start)
    context: dict[str, Any] = {"sections": sections, "state": state, "problem": problem, "is_early": model is None}
    if model is None:
        return context
    before = _before(sections, state.section)
    proposal, refusal = _proposal(model, state)
    held = state.source
    rows = _rows(model, state, before)
    seen = long_section(model, sections, state.place, held)
    return {
        **context,
        "before": before,
        "tokens": tokens_of(model, state.place, before.id if before else None, held),
        "metres": metre_lines(),
        "rows": rows,
        "row_ys": row_heights(),
        "long": seen,
        "roofs": seen.boxes,
        "legend": legend(model.plan, shapes_of(model.plan)),
        "panel": _panel(model, state, proposal, refusal) if held else None,
        "proposal": _heard(proposal),
        "drifted": sum(drift.by_db is not None and abs(drift.by_db) > _DRIFT_DB for drift in drifts(model)),
        "space": model.plan.space,
        "space_fields": [
            {"name": name, "label": label, "unit": unit, "value": getattr(model.plan.space, name)}
            for name, label, unit in _SPACE_FIELDS
        ],
        "named_spaces": [
            {
                "key": key,
                "name": name,
                "is_on": (model.plan.space.volume_m3, model.plan.space.decay_s) == (volume, decay),
            }
            for key, (name, volume, decay) in NAMED_SPACES.items()
        ],
    }


def metre_lines() -> list[tuple[int, float, bool]]:
    """Return the lines of the plan: metres, where they lie, and whether a row begins there."""
    return [(metre, PLAN.y(metre), metre in (3, 6)) for metre in _METRES]


def row_heights() -> dict[str, tuple[float, float]]:
    """Return where each row begins and ends in the long section."""
    rows = (("Front", 1, 3), ("Middle", 3, 6), ("Back", 6, 14))
    return {name: (LONG.y(low), LONG.y(high)) for name, low, high in rows}


def _before(sections: Sequence[Section], section: Section | None) -> Section | None:
    number = sections.index(section) if section in sections else 0
    return sections[number - 1] if number else None


def _proposal(model: DepthModel, state: HallState) -> tuple[Proposal | None, str]:
    """Return what is proposed for what is asked, or why nothing can be."""
    if state.asked_m is None:
        return None, ""
    try:
        wishes = state.wishes(model.plan)
        return place(model, wishes, free=state.free(model.plan), keeps_loudness=state.keeps_loudness), ""
    except CoreError as error:
        return None, sentence_of(error)


def _heard(proposal: Proposal | None) -> dict[str, str]:
    """Return what the player compares with: a proposal, under the name of a version."""
    return {"version": keep_proposal(proposal.plan) if proposal else "", "name": "the proposal"}


def _rows(model: DepthModel, state: HallState, before: Section | None) -> list[PlaceRow]:
    """Return the sources from front to back; those without a place at the end."""
    found = []
    for track in model.plan.tracks:
        distance = model.distance_m(track.id, state.place)
        was = model.distance_m(track.id, before.id) if before else None
        is_silent = model.readings[track.id, state.place].wet_db is None
        found.append(
            PlaceRow(
                source=track.id,
                name=track.name,
                row=row_of(distance) if distance is not None else "",
                distance_m=distance,
                change=_signed(distance - was) if distance is not None and was is not None else "",
                enters=before is not None and distance is not None and was is None,
                state="" if distance is not None else "silent" if is_silent else "dry",
                is_held=track.id == state.source,
            )
        )
    found.sort(key=lambda row: (row.distance_m is None, row.distance_m or 0.0))
    names = [row.row for row in found]
    firsts = {names.index(name) for name in names if name}
    return [replace(row, is_first=number in firsts) for number, row in enumerate(found)]


def _signed(metres: float) -> str:
    return f"+{figure(metres)}" if round(metres, 1) > 0 else figure(metres)


def _panel(model: DepthModel, state: HallState, proposal: Proposal | None, refusal: str) -> dict[str, Any]:
    plan, source = model.plan, state.source
    reading = model.readings[source, state.place]
    now = model.distance_m(source, state.place)
    alike = alike_sections(plan, state.section.id) if state.section else []
    placed = next((each for each in proposal.placed if each.section in (state.place, None)), None) if proposal else None
    return {
        "name": plan.track(source).name,
        "now_m": now,
        "now_row": row_of(now) if now is not None else "",
        "now_wet_db": reading.wet_db if now is not None else None,
        "is_silent": reading.wet_db is None,
        "target": target_of(plan, source, state.place),
        "asked_m": state.asked_m,
        "asked_row": row_of(state.asked_m) if state.asked_m is not None else "",
        "asked_wet_db": plan.space.wet_db_at(state.asked_m) if state.asked_m is not None else None,
        "asked_y": PLAN.y(state.asked_m) if state.asked_m is not None else None,
        "long_y": LONG.y(state.asked_m) if state.asked_m is not None else None,
        "sends": _sends(plan, state, proposal),
        "placed": placed,
        "reasons": _reasons(plan, proposal),
        "refusal": refusal,
        "scopes": _scopes(state, alike),
        "kept": _kept(plan, state),
        "can_apply": proposal is not None and proposal.plan != plan,
    }


def _sends(plan: Plan, state: HallState, proposal: Proposal | None) -> list[dict[str, Any]]:
    """Return the source's sends into spaces, with what is proposed for each; those that are refused stay in the list."""
    given, names = styles(plan.returns), plan.names
    place_of = {(c.source, c.target): c for c in (proposal.changes if proposal else ()) if _is_shown(c.section, state)}
    targets = [r.id for r in plan.returns if is_space(r)]
    rows = []
    for target in targets:
        change = place_of.get((state.source, target))
        is_refused = target in state.refused
        if change is None and not is_refused and plan.send(state.source, target) is None:
            continue
        before = change.before_db if change else _level(plan, state, target)
        after = change.after_db if change else before
        rows.append(
            {
                "target": target,
                "name": names[target],
                "style": given[target],
                "before": before,
                "after": after,
                "is_changed": change is not None,
                "is_refused": is_refused,
                "before_px": _bar_px(before),
                "after_px": _bar_px(after),
            }
        )
    return rows


def _is_shown(section: str | None, state: HallState) -> bool:
    return section == (None if state.scope == "song" else state.place)


def _level(plan: Plan, state: HallState, target: str) -> float | None:
    return level_of(plan, (state.source, target), None if state.scope == "song" else state.place)


def _bar_px(level: float | None) -> float:
    share = 0.0 if level is None else (level - _BAR_LOW_DB) / (_BAR_HIGH_DB - _BAR_LOW_DB)
    return max(0.0, min(1.0, share)) * _BAR_PX


def _reasons(plan: Plan, proposal: Proposal | None) -> list[str]:
    """Return why sources are not where they are asked, each with its section."""
    if proposal is None:
        return []
    return [f"{_where(plan, each)}{each.reason}" for each in proposal.placed if each.reason]


def _where(plan: Plan, placed: Placed) -> str:
    return f"{plan.song.section(placed.section).name}: " if placed.section else ""


def _scopes(state: HallState, alike: Sequence[str]) -> list[tuple[str, str, bool]]:
    if state.section is None:
        return []
    scopes = [("section", state.section.name)]
    if len(alike) > 1:
        scopes.append(("alike", f"{len(alike)} alike"))
    scopes.append(("song", "Song"))
    return [(name, label, name == state.scope) for name, label in scopes]


def _kept(plan: Plan, state: HallState) -> str:
    """Return the names of what the source feeds beside spaces, which stays as it is."""
    names = [
        plan.names[s.target] for s in plan.sends if s.source == state.source and not is_space(plan.return_(s.target))
    ]
    if not names:
        return ""
    return f"{' and '.join([', '.join(names[:-1]), names[-1]] if len(names) > 1 else names)} {'stay' if len(names) > 1 else 'stays'} as {'they are' if len(names) > 1 else 'it is'}."
