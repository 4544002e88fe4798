"""How wet every track is, worked out in the background."""

from functools import partial

from hallweb.analysis.wetness import WetTable, wet_table
from hallweb.audition.background import MEASUREMENTS
from hallweb.songs.models import Revision
from hallweb.songs.revisions import plan_of
from hallweb.songs.sounds import song_sounds


def predicted_wetness(revision: Revision) -> WetTable | None:
    """Return how wet every track of a revision is in every section; None until that is worked out.

    Raises
    ------
    MeasurementError
        If it cannot be.
    """
    song_id = revision.song_id
    key = f"wet-{revision.pk}-{song_sounds(song_id).mark}"
    return MEASUREMENTS.of(key, partial(wet_table, song_id, plan_of(revision.pk)))
