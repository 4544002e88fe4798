"""What findings are looked for in: a plan, its depth model, what its stems are like, and the peaks of its rendered parts."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from highhall.advise import gap_left_s
from highhall.depth import DepthModel
from highhall.depth.readings import ratio_db
from highhall.depth.spaces import is_space
from highhall.depth.stem_table import SILENCE_POWER
from highhall.findings.finding import Finding
from highhall.measure import Phrase, StemAnalysis
from highhall.measure.lanes import Peaks
from highhall.measure.loudness import HOP_S
from highhall.measure.third_octaves import CENTRES_HZ
from highhall.plan import Plan, Return, Section, Track
from highhall.timing import Position

WHOLE = -1
"""The whole song, among the places of spectra."""

_IN_RETURN_DB = -60.0
_SOUNDS_DB = -30.0
"""Under the mean of where it sounds a source counts as silent."""


@dataclass(frozen=True, eq=False)
class Heard:
    """A plan and all that is known of how it sounds.

    stems, phrases: by track id; phrases in seconds of the song. peaks: of the rendered parts, as `highhall.measure.lanes.peaks_of` gives
    them; None if the plan was not rendered. focus: a finding whose mending is tried: kinds that cost much look at its source alone.
    """

    model: DepthModel
    stems: Mapping[str, StemAnalysis]
    phrases: Mapping[str, Sequence[Phrase]]
    peaks: Mapping[str, Peaks] | None = None
    focus: Finding | None = None

    def edited(self, plan: Plan, focus: Finding | None = None) -> "Heard":
        """Return what is known of another plan of the same song; it was not rendered."""
        return replace(self, model=self.model.edited(plan), peaks=None, focus=focus)

    @property
    def plan(self) -> Plan:
        """The plan that is looked at."""
        return self.model.plan

    @cached_property
    def names(self) -> dict[str, str]:
        """What tracks, groups and returns are called, by id."""
        return self.plan.names

    @cached_property
    def sections(self) -> list[Section]:
        """The sections in time order."""
        return sorted(self.plan.song.sections, key=lambda section: section.start)

    @cached_property
    def spaces(self) -> list[Return]:
        """The returns that are spaces."""
        return [return_ for return_ in self.plan.returns if is_space(return_)]

    def span(self, section: str) -> tuple[float, float]:
        """Return where a section begins and ends, in seconds."""
        found, time = self.plan.song.section(section), self.plan.song.time
        return time.seconds_at(found.start), time.seconds_at(found.end)

    def seconds_at(self, at: Position) -> float:
        """Return where a position lies, in seconds."""
        return self.plan.song.time.seconds_at(at)

    def wet_db(self, source: str, section: str | None) -> float | None:
        """Return how wet a source is; None where it is silent or feeds nothing."""
        found = self.model.readings[source, section].wet_db
        return None if found is None or found == -math.inf else found

    def section_wet_db(self, section: str | None) -> float | None:
        """Return how wet all tracks are together in a section."""
        heard = [self.model.readings[track.id, section] for track in self.plan.tracks]
        dry, wet = sum(r.dry_power or 0.0 for r in heard), sum(r.wet_power for r in heard)
        return ratio_db(wet, dry) if dry > 0 and wet > 0 else None

    def share_db(self, source: str, return_id: str, section: str | None = None) -> float:
        """Return what a source makes through a return over its dry sound, in dB; -inf for nothing."""
        return self.model.readings[source, section].by_return_db.get(return_id, -math.inf)

    def sounds(self, track: Track, from_s: float, to_s: float) -> bool:
        """Whether a track's stem sounds between two times of the song."""
        stem = self.stems[track.id]
        first, last = (max(round((s - track.start_s) / HOP_S), 0) for s in (from_s, to_s))
        part = stem.k_power[first : max(last, first + 1)]
        whole = stem.k_power[stem.k_power > SILENCE_POWER]
        if not part.size or not whole.size:
            return False
        floor = max(float(whole.mean()) * 10 ** (_SOUNDS_DB / 10), SILENCE_POWER)
        return bool(part.max() > floor)

    def wet_of(self, return_id: str, place: int = WHOLE) -> NDArray[np.float64]:
        """Return what a return gives to main in a section, by its number in time, or in the whole song: (bands,) in mean power."""
        wet: NDArray[np.float64] = self.model.return_spectra[return_id].out[place].sum(axis=0)
        return wet

    def dry_of(self, return_id: str, place: int = WHOLE) -> NDArray[np.float64]:
        """Return the dry sound of all tracks that are heard in a return, as the mix has it; as `wet_of`."""
        heard = [t.id for t in self.plan.tracks if self.share_db(t.id, return_id) > _IN_RETURN_DB]
        zeros = np.zeros(len(CENTRES_HZ))
        return sum((self.model.dry_spectra[key][place].sum(axis=0) for key in heard), zeros)

    def feeder(self, return_id: str) -> Track | None:
        """Return the track that makes most of a return."""
        made = {t.id: self.model.readings[t.id, None].by_return.get(return_id, 0.0) for t in self.plan.tracks}
        best = max(made, key=lambda key: made[key], default=None)
        return self.plan.track(best) if best is not None and made[best] > 0 else None

    def gap_s(self, track: Track | None) -> float | None:
        """Return the gap that three of four phrases of a track leave, in seconds; None for fewer than four phrases."""
        phrases = self.phrases.get(track.id, ()) if track else ()
        return gap_left_s(phrases) if len(phrases) >= 4 else None
