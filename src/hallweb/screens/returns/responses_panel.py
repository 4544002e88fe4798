"""The panel of impulse responses: those at hand with what they are like, and how to bring in or capture one."""

from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from hallweb.songs.captures import KEPT_SECONDS, SWEEP_SECONDS
from hallweb.songs.models import Song
from hallweb.songs.responses import response_choices, shipped_paths, stored_file
from highhall.effects import read_response
from highhall.effects.decay_time import reverberation_time
from highhall.errors import CoreError
from highhall.wording import seconds_in_words

_CHANNELS = {1: "mono", 2: "stereo", 4: "true stereo"}


def responses_context(song: Song, *, is_open: bool) -> dict[str, Any]:
    """Return what the panel shows, or that it is closed."""
    if not is_open:
        return {"responses_panel": None}
    shipped = shipped_paths()
    listed = [
        {"path": path, "name": name, "is_shipped": path in shipped, "words": _words(song, path)}
        for path, name in response_choices(song)
    ]
    return {"responses_panel": {"listed": listed, "sweeps": SWEEP_SECONDS, "kept": KEPT_SECONDS}}


def _words(song: Song, path: str) -> str:
    file = stored_file(song, path)
    try:
        return _described(file, file.stat().st_mtime_ns, song.sample_rate)
    except (CoreError, OSError) as error:
        return str(error)


@lru_cache(maxsize=128)
def _described(file: Path, _changed_ns: int, sample_rate: int) -> str:
    """Return in words how long a response is, how it decays and how many sides it has."""
    samples = read_response(file, sample_rate)
    length = f"{seconds_in_words(samples.shape[1] / sample_rate)} long, {_CHANNELS[samples.shape[0]]}"
    try:
        decay_s = reverberation_time(np.sum(samples.astype(np.float64) ** 2, axis=0), sample_rate)
    except CoreError:
        return f"{length}; its decay cannot be told"
    return f"decays in {seconds_in_words(decay_s)} (T30), {length}"
