"""How far away every source sounds: by the depth model, made ready in the background, and rendered alone."""

import os
from functools import partial
from time import monotonic_ns

from django.core.cache import cache

from hallweb.analysis.depth import prepare, ready_model, remember
from hallweb.audition.background import MEASUREMENTS, PLAYING
from hallweb.songs.models import Revision
from hallweb.songs.revisions import plan_of
from hallweb.songs.sounds import SongSounds, open_stems, song_sounds
from highhall.depth import DepthModel
from highhall.depth.corrections import alone_key
from highhall.depth.measuring import measured
from highhall.depth.readings import ratio_db
from highhall.depth.sources import sections_of
from highhall.plan import Plan

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
    if MEASUREMENTS.of(key, partial(_prepared, sounds, plan)):
        cache.delete(key)  # it was ready, and has been forgotten since
    return ready_model(sounds, plan)


def _prepared(sounds: SongSounds, plan: Plan) -> bool:
    prepare(sounds, plan)
    return True


def heard_wetness(revision: Revision, track_id: str, section: str | None) -> float | None:
    """Return how wet a source is in a section when it is rendered alone, in dB; None until that is done.

    Raises
    ------
    MeasurementError
        If it cannot be rendered.
    """
    plan, sounds = plan_of(revision.pk), song_sounds(revision.song_id)
    key = f"alone-{sounds.mark}-{track_id}-{section}-{alone_key(plan, track_id)}"
    return MEASUREMENTS.of(key, partial(_heard, sounds, plan, track_id, section))


def _heard(sounds: SongSounds, plan: Plan, track_id: str, section: str | None) -> float:
    places = [each.id for each in sections_of(plan)]
    place = None if section is None else places.index(section)
    wanted = None if place is None else [place]
    stems = open_stems(sounds, plan.song.sample_rate)
    found = measured(plan, stems, track_id, places=wanted, give_way=PLAYING.give_way)
    remember(sounds, plan, track_id, found)
    number = -1 if place is None else place
    return ratio_db(float(found.wet[number]), float(found.dry[number]))
