"""Proposing a hall: a whole first design from a place for each instrument, worked out in the background."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.http import QueryDict

from hallweb.analysis.depth import model_now
from hallweb.audition.background import MEASUREMENTS, Measurement
from hallweb.audition.proposals import keep_proposal
from hallweb.inputs import Inputs
from hallweb.screens.hall.context import metre_lines, row_heights
from hallweb.screens.hall.floors import floors_of
from hallweb.screens.hall.long_section import long_section
from hallweb.screens.hall.pictures import legend, shapes_of, tokens_of
from hallweb.screens.hall.scale import row_of
from hallweb.songs.actions import SongState
from hallweb.songs.revisions import plan_of
from hallweb.songs.sounds import song_sounds
from highhall.depth import DepthModel
from highhall.depth.drafting import DRY, ROWS_M, VERSES_NEARER, Draft, draft, proposed_rows, section_factors
from highhall.depth.flow import digest
from highhall.depth.placing import LevelChange, Placed
from highhall.plan import Plan, parse_plan, write_plan
from highhall.wording import figure

_LEAST_FACTOR, _MOST_FACTOR = 0.25, 4.0
PLACES = ("front", "middle", "back", "dry")


@dataclass(frozen=True, slots=True)
class Wanted:
    """What is chosen: how deep, and where.

    places: metres by track, None for dry. left: tracks that are left as they are. verses: how many times as deep verses are;
    factors: the same of single sections, by id.
    """

    places: tuple[tuple[str, float | None], ...]
    left: frozenset[str]
    verses: float
    factors: tuple[tuple[str, float], ...] = ()

    @classmethod
    def of(cls, said: Inputs, plan: Plan) -> "Wanted":
        """Read what a request says: `place-ID` as a row, dry or metres, `left` as ids, `verses`, `factor-ID`."""
        texts = {track.id: said.text(f"place-{track.id}") for track in plan.tracks}
        places = ((key, _metres(text)) for key, text in texts.items() if _is_place(text))
        left = frozenset(said.texts("left")) & {track.id for track in plan.tracks}
        texts = {section.id: said.text(f"factor-{section.id}") for section in plan.song.sections}
        factors = tuple((key, factor) for key, text in texts.items() if (factor := _factor(text)) is not None)
        verses = _factor(said.text("verses"))
        return cls(tuple(places), left, VERSES_NEARER if verses is None else verses, factors)

    def drafted(self, model: DepthModel) -> Draft:
        """Return the design that is wanted."""
        return draft(model, dict(self.places), left=self.left, verses=self.verses, factors=dict(self.factors))

    @property
    def said(self) -> list[tuple[str, object]]:
        """All of it as a page repeats it."""
        places = [(f"place-{key}", DRY if far is None else far) for key, far in self.places]
        factors = [(f"factor-{key}", factor) for key, factor in self.factors]
        return [*places, *factors, *(("left", key) for key in sorted(self.left)), ("verses", self.verses)]


def _is_place(text: str) -> bool:
    return text in PLACES or text.replace(".", "", 1).isdecimal()


def _metres(text: str) -> float | None:
    return None if text == "dry" else ROWS_M[text] if text in ROWS_M else min(max(float(text), 0.2), 60.0)


def _factor(text: str) -> float | None:
    is_number = text.replace(".", "", 1).replace(",", "", 1).isdecimal()
    return min(max(float(text.replace(",", ".")), _LEAST_FACTOR), _MOST_FACTOR) if is_number else None


def drafted(opened: SongState, wanted: Wanted) -> Draft | None:
    """Return the design that is proposed; None until it is worked out.

    Raises
    ------
    MeasurementError
        If it cannot be.
    """
    sounds = song_sounds(opened.song.pk)
    key = f"draft-{opened.revision.pk}-{sounds.mark}-{digest(wanted.said)}"
    song_id = opened.song.pk
    found = MEASUREMENTS.of(key, song_id, draft_of, song_id, opened.revision.pk, wanted.said)
    if found is None:
        return None
    text, places, placed, changes, built = found
    return Draft(plan=parse_plan(text), places=places, placed=placed, changes=changes, built=built)


_Kept = tuple[str, dict[str, float | None], tuple[Placed, ...], tuple[LevelChange, ...], tuple[str, ...]]


@Measurement
def draft_of(song_id: int, revision_id: int, said: Sequence[tuple[str, object]]) -> _Kept:
    """Work out a design from what `Wanted` has said; return it as it can be kept, its plan as text."""
    plan, query = plan_of(revision_id), QueryDict(mutable=True)
    for name, value in said:
        query.appendlist(name, str(value))
    found = Wanted.of(Inputs(query), plan).drafted(model_now(song_sounds(song_id), plan))
    return write_plan(found.plan), dict(found.places), found.placed, found.changes, found.built


def proposing_context(opened: SongState, wanted: Wanted, found: Draft) -> dict[str, Any]:
    """Return what the page of a proposed hall shows."""
    sounds = song_sounds(opened.song.pk)
    model = model_now(sounds, found.plan)
    shapes = shapes_of(opened.plan)
    chosen, because = dict(wanted.places), proposed_rows(model)
    factors = section_factors(opened.plan, wanted.verses, dict(wanted.factors))
    sections = sorted(opened.plan.song.sections, key=lambda section: section.start)
    seen = long_section(model, sections, None, "", factors)
    rows = [
        {
            "id": track.id,
            "name": track.name,
            "metres": found.places[track.id],
            "row": "dry" if found.places[track.id] is None else row_of(found.places[track.id] or 0.0).lower(),
            "is_left": track.id in wanted.left,
            "because": "yours" if track.id in chosen else because[track.id][1],
            "is_silent": model.readings[track.id, None].dry_power is None,
            "reason": next((p.reason for p in found.placed if p.source == track.id), ""),
            "sends": ", ".join(_sends(found, track.id)),
        }
        for track in opened.plan.tracks
    ]
    rows.sort(key=lambda row: (row["metres"] is None, row["metres"] or 0.0))
    return {
        "tokens": tokens_of(model, None, None, ""),
        "metres": metre_lines(),
        "legend": legend(opened.plan, shapes),
        "sections": sections,
        "long": seen,
        "roofs": seen.boxes,
        "row_ys": row_heights(),
        "yours": [*chosen],
        "rows": rows,
        "choices": PLACES,
        "verses": wanted.verses,
        "has_verses": any("verse" in section.name.lower() for section in opened.plan.song.sections),
        "floors": list(floors_of(opened.song.pk, found.plan, found.built)),
        "count": len({change.source for change in found.changes}),
        "proposal": {"version": keep_proposal(found.plan), "name": "the proposed hall"},
        "can_take": found.plan != opened.plan,
    }


def _sends(found: Draft, source: str) -> list[str]:
    names = found.plan.names
    own = (change for change in found.changes if change.source == source and change.section is None)
    return [f"{names[change.target]} {figure(change.after_db)}" for change in own if change.after_db is not None]
