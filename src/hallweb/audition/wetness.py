"""How far away every source sounds, by the depth model, made ready in the background."""

import os
from functools import partial
from time import monotonic_ns

from django.core.cache import cache

from hallweb.analysis.depth import prepare, ready_model
from hallweb.audition.background import MEASUREMENTS
from hallweb.songs.models import Revision
from hallweb.songs.revisions import plan_of
from hallweb.songs.sounds import SongSounds, song_sounds
from highhall.depth import DepthModel
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
