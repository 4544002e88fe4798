"""How loud a passage of a revision is."""

import math
from collections.abc import Callable

import numpy as np
from django.core.cache import cache

from hallweb.audition.segments import lane_segments
from hallweb.songs.models import Revision
from hallweb.songs.revisions import plan_of
from hallweb.songs.sounds import open_stems, song_sounds
from highhall.effects import Signal, silence
from highhall.measure.loudness import integrated_loudness
from highhall.render import BLOCK_FRAMES, Engine
from highhall.render.segments import lanes_of

LONGEST_S = 40
"""Longer passages are measured on their beginning."""


def passage_loudness(
    song_id: int, revision: Revision, start: int, stop: int, *, before_block: Callable[[], None] = lambda: None
) -> dict[str, float | None]:
    """Return the gated loudness (ITU-R BS.1770) between two samples in LUFS, of `full`, `dry` and `wet`; None is silence.

    before_block: called before each block of sound, to let others go first.

    Raises
    ------
    CoreError
        If the passage is shorter than 0.4 s.
    """
    key = f"loudness-{revision.pk}-{start}-{stop}"
    found: dict[str, float | None] | None = cache.get(key)
    if found is None:
        rate = plan_of(revision.pk).song.sample_rate
        full, dry = _passage(song_id, revision, start, min(stop, start + LONGEST_S * rate), before_block)
        found = {name: _lufs(sound, rate) for name, sound in (("full", full), ("dry", dry), ("wet", full - dry))}
        cache.set(key, found)
    return found


def _lufs(sound: Signal, rate: int) -> float | None:
    lufs = integrated_loudness(sound, rate)
    return None if math.isinf(lufs) else lufs


def _passage(
    song_id: int, revision: Revision, start: int, stop: int, before_block: Callable[[], None]
) -> tuple[Signal, Signal]:
    """Return a passage and its dry part, (2, frames) each; what rings into it is there to -60 dB."""
    plan, sounds = plan_of(revision.pk), song_sounds(song_id)
    rate = plan.song.sample_rate
    tail = max(lane_segments(sounds, revision.pk, lane).tail_s for lane in lanes_of(plan))
    parts = [(silence(0), silence(0))]
    engine = Engine(plan, open_stems(sounds, rate), start_sample=max(start - round(tail * rate), 0))
    while engine.position < stop:
        before_block()
        limit = start if engine.position < start else stop
        block = engine.advance(min(BLOCK_FRAMES, limit - engine.position))
        if engine.position > start:
            parts.append((block.main, block.dry))
    full, dry = (np.concatenate(each, axis=1) for each in zip(*parts, strict=True))
    return full, dry
