"""How loud a passage of a revision is."""

import math
from collections.abc import Callable

import numpy as np
from django.core.cache import cache

from hallweb.audition.background import PLAYING, Measurement
from hallweb.audition.monitoring import AS_IT_IS, Monitoring
from hallweb.audition.segments import heard_plan, lane_segments
from hallweb.songs.models import Revision
from hallweb.songs.sounds import open_stems, song_sounds
from highhall.effects import Signal, silence
from highhall.measure.loudness import integrated_loudness
from highhall.render import BLOCK_FRAMES, Engine
from highhall.render.segments import lanes_of

LONGEST_S = 40
"""Longer passages are measured on their beginning."""


def passage_loudness(
    song_id: int,
    revision: Revision,
    start: int,
    stop: int,
    *,
    monitoring: Monitoring = AS_IT_IS,
    before_block: Callable[[], None] = lambda: None,
) -> dict[str, float | None]:
    """Return the gated loudness (ITU-R BS.1770) between two samples in LUFS, of `full`, `dry` and `wet`; None is silence.

    monitoring: what of the plan is heard. before_block: called before each block of sound, to let others go first.

    Raises
    ------
    CoreError
        If the passage is shorter than 0.4 s.
    """
    key = f"loudness-{revision.pk}-{start}-{stop}{monitoring.query}"
    found: dict[str, float | None] | None = cache.get(key)
    if found is None:
        plan = heard_plan(revision.pk, monitoring)
        rate = plan.song.sample_rate
        sounds = song_sounds(song_id)
        lanes = (lane_segments(sounds, revision.pk, lane, monitoring) for lane in lanes_of(plan))
        first = max(start - round(max(lane.tail_s for lane in lanes) * rate), 0)
        engine = Engine(plan, open_stems(sounds, rate), start_sample=first)
        full, dry = _passage(engine, start, min(stop, start + LONGEST_S * rate), before_block)
        found = {name: _lufs(sound, rate) for name, sound in (("full", full), ("dry", dry), ("wet", full - dry))}
        cache.set(key, found)
    return found


@Measurement
def loudness_of(song_id: int, revision_id: int, start: int, stop: int) -> dict[str, float | None]:
    """Measure a passage of a revision while nothing is rendered that is about to be heard; see `passage_loudness`."""
    revision = Revision.objects.defer("document").get(pk=revision_id)
    return passage_loudness(song_id, revision, start, stop, before_block=PLAYING.give_way)


def _lufs(sound: Signal, rate: int) -> float | None:
    lufs = integrated_loudness(sound, rate)
    return None if math.isinf(lufs) else lufs


def _passage(engine: Engine, start: int, stop: int, before_block: Callable[[], None]) -> tuple[Signal, Signal]:
    """Return a passage and its dry part, (2, frames) each, of an engine that begins where what rings into it does."""
    parts = [(silence(0), silence(0))]
    while engine.position < stop:
        before_block()
        limit = start if engine.position < start else stop
        block = engine.advance(min(BLOCK_FRAMES, limit - engine.position))
        if engine.position > start:
            parts.append((block.main, block.dry))
    full, dry = (np.concatenate(each, axis=1) for each in zip(*parts, strict=True))
    return full, dry
