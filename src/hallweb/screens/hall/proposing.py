"""Proposing a hall: a whole first design from a place for each instrument, worked out in the background."""

from dataclasses import dataclass
from functools import partial
from typing import Any

from hallweb.analysis.depth import prepare, ready_model
from hallweb.audition.background import MEASUREMENTS
from hallweb.audition.proposals import keep_proposal
from hallweb.inputs import Inputs
from hallweb.screens.hall.context import metre_lines, row_heights
from hallweb.screens.hall.long_section import long_section
from hallweb.screens.hall.pictures import legend, shapes_of, tokens_of
from hallweb.screens.hall.scale import row_of
from hallweb.songs.actions import SongState
from hallweb.songs.sounds import SongSounds, song_sounds
from highhall.depth import DepthModel
from highhall.depth.drafting import ROWS_M, VERSES_NEARER, Draft, draft
from highhall.depth.flow import digest
from highhall.depth.placing import LevelChange, Placed
from highhall.errors import CoreError
from highhall.plan import Plan, parse_plan, write_plan
from highhall.wording import figure

_LEAST_VERSES, _MOST_VERSES = 0.5, 1.5
PLACES = ("front", "middle", "back", "dry")


@dataclass(frozen=True, slots=True)
class Wanted:
    """What is chosen: a place in metres by track, None for dry; tracks that are left as they are; how deep verses are."""

    places: tuple[tuple[str, float | None], ...]
    left: frozenset[str]
    verses: float

    @classmethod
    def of(cls, said: Inputs, plan: Plan) -> "Wanted":
        """Read what a request says: `place-ID` as a row, dry or metres, `left` as ids, `verses`."""
        texts = {track.id: said.text(f"place-{track.id}") for track in plan.tracks}
        places = ((key, _metres(text)) for key, text in texts.items() if _is_place(text))
        left = frozenset(said.texts("left")) & {track.id for track in plan.tracks}
        return cls(tuple(places), left, _verses(said.text("verses")))


def _is_place(text: str) -> bool:
    return text in PLACES or text.replace(".", "", 1).isdecimal()


def _metres(text: str) -> float | None:
    return None if text == "dry" else ROWS_M[text] if text in ROWS_M else min(max(float(text), 0.2), 60.0)


def _verses(text: str) -> float:
    is_number = text.replace(".", "", 1).replace(",", "", 1).isdecimal()
    return min(max(float(text.replace(",", ".")), _LEAST_VERSES), _MOST_VERSES) if is_number else VERSES_NEARER


def drafted(opened: SongState, wanted: Wanted) -> Draft | None:
    """Return the design that is proposed; None until it is worked out.

    Raises
    ------
    MeasurementError
        If it cannot be.
    """
    sounds = song_sounds(opened.song.pk)
    key = f"draft-{opened.revision.pk}-{sounds.mark}-{digest(wanted.places, sorted(wanted.left), wanted.verses)}"
    found = MEASUREMENTS.of(key, partial(_draft, sounds, opened.plan, wanted))
    if found is None:
        return None
    text, places, placed, changes, built = found
    return Draft(plan=parse_plan(text), places=places, placed=placed, changes=changes, built=built)


_Kept = tuple[str, dict[str, float | None], tuple[Placed, ...], tuple[LevelChange, ...], tuple[str, ...]]


def _draft(sounds: SongSounds, plan: Plan, wanted: Wanted) -> _Kept:
    """Return a design as it can be kept: its plan as text."""
    found = draft(ready(sounds, plan), dict(wanted.places), left=wanted.left, verses=wanted.verses)
    return write_plan(found.plan), dict(found.places), found.placed, found.changes, found.built


def ready(sounds: SongSounds, plan: Plan) -> DepthModel:
    """Return the depth model of a plan, made ready now if it is not.

    Raises
    ------
    CoreError
        If it was forgotten meanwhile.
    """
    model = ready_model(sounds, plan)
    if model is None:
        prepare(sounds, plan)
        model = ready_model(sounds, plan)
    if model is None:
        raise CoreError("the stems are still being read; try again in a moment")
    return model


def proposing_context(opened: SongState, wanted: Wanted, found: Draft) -> dict[str, Any]:
    """Return what the page of a proposed hall shows."""
    sounds = song_sounds(opened.song.pk)
    model = ready(sounds, found.plan)
    shapes = shapes_of(opened.plan)
    chosen = dict(wanted.places)
    sections = sorted(opened.plan.song.sections, key=lambda section: section.start)
    rows = [
        {
            "id": track.id,
            "name": track.name,
            "metres": found.places[track.id],
            "row": "dry" if found.places[track.id] is None else row_of(found.places[track.id] or 0.0).lower(),
            "is_left": track.id in wanted.left,
            "is_silent": model.readings[track.id, None].dry_power is None,
            "reason": next((p.reason for p in found.placed if p.source == track.id), ""),
            "sends": ", ".join(_sends(found, track.id)),
        }
        for track in opened.plan.tracks
    ]
    rows.sort(key=lambda row: (row["metres"] is None, row["metres"] or 0.0))
    built = [(r.name, next(iter(r.chain)).summary) for r in found.plan.returns if r.id in found.built]
    return {
        "tokens": tokens_of(model, None, None, ""),
        "metres": metre_lines(),
        "legend": legend(opened.plan, shapes),
        "sections": sections,
        "long": long_section(model, sections, None, ""),
        "row_ys": row_heights(),
        "yours": [*chosen],
        "rows": rows,
        "choices": PLACES,
        "verses": wanted.verses,
        "has_verses": any("verse" in section.name.lower() for section in opened.plan.song.sections),
        "built": built,
        "count": len({change.source for change in found.changes}),
        "proposal": {"version": keep_proposal(found.plan), "name": "the proposed hall"},
        "can_take": found.plan != opened.plan,
    }


def _sends(found: Draft, source: str) -> list[str]:
    names = found.plan.names
    own = (change for change in found.changes if change.source == source and change.section is None)
    return [f"{names[change.target]} {figure(change.after_db)}" for change in own if change.after_db is not None]
