"""All that findings are looked for in, worked out from a plan's stems."""

from collections.abc import Callable, Sequence

from highhall.depth import DepthModel
from highhall.findings.heard import Heard
from highhall.measure import Phrase, analysis_of
from highhall.measure.lanes import peaks_of
from highhall.plan import Track
from highhall.render import Stems


def heard_of(
    model: DepthModel, stems: Stems, *, rendered: bool = True, give_way: Callable[[], None] = lambda: None
) -> Heard:
    """Listen to every stem of a plan, and to the plan as it is rendered."""
    plan = model.plan
    analyses = {track.id: analysis_of(stems.samples(track), plan.song.sample_rate) for track in plan.tracks}
    phrases = {track.id: in_song(track, analyses[track.id].phrases()) for track in plan.tracks}
    return Heard(model, analyses, phrases, peaks_of(plan, stems, give_way=give_way) if rendered else None)


def in_song(track: Track, phrases: Sequence[Phrase]) -> list[Phrase]:
    """Return a stem's phrases in seconds of the song."""
    return [Phrase(start_s=track.start_s + p.start_s, end_s=track.start_s + p.end_s) for p in phrases]
