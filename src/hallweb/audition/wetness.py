"""How far away every source sounds: by the depth model, made ready in the background, and rendered alone."""

import os
from time import monotonic_ns

from django.core.cache import cache

from hallweb.analysis.depth import prepare, ready_model, remember
from hallweb.audition.background import IN_THIS_PROCESS, MEASUREMENTS, PLAYING, Measurement
from hallweb.songs.models import Revision
from hallweb.songs.revisions import plan_of
from hallweb.songs.sounds import open_stems, song_sounds
from highhall.depth import DepthModel
from highhall.depth.corrections import alone_key
from highhall.depth.measuring import measured
from highhall.depth.readings import ratio_db
from highhall.depth.sources import sections_of

_PROCESS = f"{os.getpid()}-{monotonic_ns()}"  # a model is in the memory of one process


def predicted_depth(revision: Revision) -> DepthModel | None:
    """Return the depth model of a revision; None until it is ready.

    Raises
    ------
    MeasurementError
        If it cannot be.
    """
    sounds, plan = song_sounds(revision.song_id), plan_of(revision.pk)
    model = ready_model(sounds, plan)
    if model is not None:
        return model
    key = f"depth-{_PROCESS}-{revision.pk}-{sounds.mark}"
    if IN_THIS_PROCESS.of(key, revision.song_id, prepared, revision.song_id, revision.pk):
        cache.delete(key)  # it was ready, and has been forgotten since
    return ready_model(sounds, plan)


@Measurement
def prepared(song_id: int, revision_id: int) -> bool:
    """Make the depth model of a revision ready, and return True."""
    prepare(song_sounds(song_id), plan_of(revision_id))
    return True


def heard_wetness(revision: Revision, track_id: str, section: str | None) -> float | None:
    """Return how wet a source is in a section when it is rendered alone, in dB; None until that is done.

    Raises
    ------
    MeasurementError
        If it cannot be rendered.
    """
    song_id = revision.song_id
    key = f"alone-{song_sounds(song_id).mark}-{track_id}-{section}-{alone_key(plan_of(revision.pk), track_id)}"
    return MEASUREMENTS.of(key, song_id, wetness_alone, song_id, revision.pk, track_id, section)


@Measurement
def wetness_alone(song_id: int, revision_id: int, track_id: str, section: str | None) -> float:
    """Render a source alone; correct what is predicted of it, and return how wet it is in a section, in dB."""
    sounds, plan = song_sounds(song_id), plan_of(revision_id)
    places = [each.id for each in sections_of(plan)]
    place = None if section is None else places.index(section)
    wanted = None if place is None else [place]
    stems = open_stems(sounds, plan.song.sample_rate)
    found = measured(plan, stems, track_id, places=wanted, give_way=PLAYING.give_way)
    remember(sounds, plan, track_id, found)
    number = -1 if place is None else place
    return ratio_db(float(found.wet[number]), float(found.dry[number]))
