"""What scripts need to know that the core or a picture decides, told to them as data: no constant stands in two languages."""

from functools import cache
from typing import Any

from hallweb.screens.common.charts import SONG_STRIP_WIDTH
from hallweb.screens.common.level_scale import HIGHEST_DB, LOWEST_DB
from highhall.effects.panning import mono_gains
from highhall.measure.true_peak import PHASES
from highhall.timing import LADDER


@cache
def script_facts() -> dict[str, Any]:
    """Return the facts, as JSON can hold them.

    levelScale: where levels are drawn, in dB. notes: [note value, whole notes] of the ladder. pan: the left side's gain at
    every per cent from -100 to 100; the right side's is its mirror. songStripWidth: in pixels. truePeak: the taps of the
    oversampling filter by phase, those for the newest sample first.
    """
    return {
        "levelScale": {"low": LOWEST_DB, "high": HIGHEST_DB},
        "notes": [[str(note), float(note.whole_notes)] for note in LADDER],
        "pan": [round(mono_gains(percent / 100)[0], 9) for percent in range(-100, 101)],
        "songStripWidth": SONG_STRIP_WIDTH,
        "truePeak": [[round(float(tap), 9) for tap in taps] for taps in PHASES[::-1].T],
    }
