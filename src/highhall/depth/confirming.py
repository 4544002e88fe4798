"""Placing, confirmed in sound: the sources are rendered alone, and what was predicted is corrected by what was measured."""

from collections.abc import Collection, Mapping
from concurrent.futures import ThreadPoolExecutor

from highhall.depth.measuring import Measured, measured
from highhall.depth.model import DepthModel
from highhall.depth.placing import Proposal, place
from highhall.plan import Plan
from highhall.plan.edits.wishes import Wish
from highhall.render import Stems

NEAR_ENOUGH_DB = 0.3
_ROUNDS = 3


def place_heard(
    model: DepthModel,
    stems: Stems,
    wishes: Mapping[Wish, float],
    *,
    free: Collection[str] | None = None,
    keeps_loudness: bool = False,
) -> tuple[Proposal, DepthModel]:
    """Return what `highhall.depth.placing.place` does, until it is heard to be so, and the model that knows what was measured.

    Raises
    ------
    CoreError
        See `place`.
    """
    plan = model.plan
    for _ in range(_ROUNDS):
        proposal = place(model.edited(plan), wishes, free=free, keeps_loudness=keeps_loudness)
        predicted = model.edited(proposal.plan)
        sections = {section for _, section in wishes}
        model = measured_model(predicted, stems, sources_of(plan, wishes), sections=sections)
        if all(_is_near(predicted, model, wish, plan) for wish in wishes):
            break
    return proposal, model


def sources_of(plan: Plan, wishes: Collection[Wish]) -> list[str]:
    """Return the tracks that wishes are about, each once."""
    tracks = (track.id for source, _ in wishes for track in plan.tracks if source in (track.id, track.group))
    return list(dict.fromkeys(tracks))


def measured_model(
    model: DepthModel,
    stems: Stems,
    track_ids: Collection[str],
    *,
    sections: Collection[str | None] = frozenset({None}),
) -> DepthModel:
    """Return the model with some of its sources measured in some sections, None being the whole song.

    Each is rendered alone, two side by side.
    """
    places = None if None in sections else [model.places.index(section) for section in sections]

    def measure(track_id: str) -> Measured:
        return measured(model.plan, stems, track_id, places=places)

    with ThreadPoolExecutor(max_workers=2) as pool:
        found = pool.map(measure, track_ids)
        return model.corrected(dict(zip(track_ids, found, strict=True)))


def _is_near(predicted: DepthModel, found: DepthModel, wish: Wish, plan: Plan) -> bool:
    for track_id in sources_of(plan, [wish]):
        levels = [model.readings[track_id, wish[1]].wet_db for model in (predicted, found)]
        if None not in levels and abs(float(levels[0] or 0.0) - float(levels[1] or 0.0)) > NEAR_ENOUGH_DB:
            return False
    return True
