"""How wet each instrument is in each section, as screens show it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from highhall.depth import DepthModel, Reading
from highhall.plan import Plan

_BAR_LOW_DB, _BAR_HIGH_DB = -24.0, 6.0
_LEAST_DB = -90.0


@dataclass(frozen=True, slots=True)
class WetCell:
    """How wet one track is in one section: in dB against its dry sound, as a distance in metres, as a bar from 0 to 1.

    Without `wet_db` the track is silent there; without `distance_m` it feeds nothing that sounds. `dry_power` is that at
    main, to find where it is loudest.
    """

    wet_db: float | None
    distance_m: float | None
    bar: float
    dry_power: float


WetTable = Mapping[str, Sequence[WetCell]]
"""By track, a cell for each section in their order; for the whole song where there are no sections."""


def wet_table(model: DepthModel) -> WetTable:
    """Return how wet every track is in every section."""
    places = model.places[:-1]
    readings = model.readings
    return {track.id: [_cell(model.plan, readings[track.id, place]) for place in places] for track in model.plan.tracks}


def _cell(plan: Plan, reading: Reading) -> WetCell:
    wet_db = reading.wet_db
    distance = None if wet_db is None or wet_db <= _LEAST_DB else plan.space.distance_m(wet_db)
    bar = 0.0 if wet_db is None else (wet_db - _BAR_LOW_DB) / (_BAR_HIGH_DB - _BAR_LOW_DB)
    return WetCell(wet_db, distance, max(0.0, min(1.0, bar)), reading.dry_power or 0.0)
