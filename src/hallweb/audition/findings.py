"""Findings of songs: looked for in the background, kept by what they were looked for in."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from hashlib import sha256
from time import monotonic

from django.core.cache import cache

from hallweb.analysis.depth import model_now
from hallweb.analysis.stems import phrases_in, stored_analysis
from hallweb.audition.background import MEASUREMENTS, Measurement, giving_way
from hallweb.audition.proposals import keep_proposal
from hallweb.songs.models import Revision, Stem
from hallweb.songs.revisions import plan_of
from hallweb.songs.sounds import SongSounds, open_stems, song_sounds
from highhall.errors import CoreError
from highhall.findings import KINDS, Finding, Heard, look_and_mend, take
from highhall.findings.hearing import in_song
from highhall.measure import Phrase, StemAnalysis, analysis_of
from highhall.measure.lanes import Peaks, peaks_of
from highhall.plan import Plan

_VERSION = 3
_NEWEST_S = 30 * 24 * 3600
_RENDERED = [kind.name for kind in KINDS.values() if kind.is_rendered]
_PREDICTED = [kind.name for kind in KINDS.values() if not kind.is_rendered]


@dataclass(frozen=True, slots=True)
class Looked:
    """What was found in one revision, with everything that is near its limit too.

    proposals: by finding's id, the plan that it proposes, as addresses call it. seconds: how long it took. is_whole: whether the song was
    rendered for it too.
    """

    revision: int
    label: str
    findings: tuple[Finding, ...]
    proposals: dict[str, str]
    seconds: float
    is_whole: bool


def looked_at(revision: Revision, *, renders: bool = True) -> Looked | None:
    """Return what is found in a revision; None until it has been looked at. What needs rendering comes later.

    renders: whether the song may be rendered for it now; else what is known of it from that is told.

    Raises
    ------
    MeasurementError
        If it cannot be looked at.
    """
    song_id = revision.song_id
    key = f"{_VERSION}-{revision.pk}-{song_sounds(song_id).mark}-{_phrases_mark(song_id)}"
    about = revision.pk, revision.number, revision.label
    predicted = MEASUREMENTS.of(f"findings-{key}", song_id, predicted_of, song_id, *about)
    if predicted is None:
        return None
    ask = MEASUREMENTS.of if renders else MEASUREMENTS.known
    rendered = ask(f"findings-rendered-{key}", song_id, rendered_of, song_id, revision.pk)
    found = predicted if rendered is None else _together(predicted, *rendered)
    cache.set(_newest_key(revision.song_id), found, _NEWEST_S)
    return found


def newest_look(song_id: int) -> Looked | None:
    """Return what was found when a song was looked at last, be it before the newest edit."""
    found: Looked | None = cache.get(_newest_key(song_id))
    return found


def taken(song_id: int, plan: Plan, finding_ids: Sequence[str], known: Sequence[Finding]) -> tuple[Plan, list[str]]:
    """Return a plan with what several findings propose, one after the other, and what was changed, in words.

    One that another has mended, or that cannot be mended any more, is left out.

    Raises
    ------
    CoreError
        If none of them can be taken.
    """
    heard, words, problem = _heard(song_sounds(song_id), plan), [], None
    for finding_id in finding_ids:
        try:
            mending = take(heard, finding_id, known)
        except CoreError as error:
            problem = problem or error
            continue
        heard = heard.edited(mending.plan)
        words.append(mending.words)
    if not words:
        raise problem or CoreError("no finding is chosen")
    return heard.plan, words


@Measurement
def predicted_of(song_id: int, revision_id: int, number: int, label: str) -> Looked:
    """Look for all that is found without rendering the song."""
    start, give_way = monotonic(), giving_way(song_id, revision_id)
    sounds, plan = song_sounds(song_id), plan_of(revision_id)
    found = look_and_mend(_heard(sounds, plan), only=_PREDICTED, strictness="strict", give_way=give_way)
    proposals = {finding.id: keep_proposal(mending.plan) for finding, mending in found if mending}
    return Looked(number, label, tuple(finding for finding, _ in found), proposals, monotonic() - start, is_whole=False)


@Measurement
def rendered_of(song_id: int, revision_id: int) -> tuple[tuple[Finding, ...], dict[str, str], float]:
    """Render the song and look for what is found so; with the proposals, and how long it took."""
    start, give_way = monotonic(), giving_way(song_id, revision_id)
    sounds, plan = song_sounds(song_id), plan_of(revision_id)
    peaks = peaks_of(plan, open_stems(sounds, plan.song.sample_rate), give_way=give_way)
    heard = _heard(sounds, plan, peaks)
    found = look_and_mend(heard, only=_RENDERED, strictness="strict", give_way=give_way)
    proposals = {finding.id: keep_proposal(mending.plan) for finding, mending in found if mending}
    return tuple(finding for finding, _ in found), proposals, monotonic() - start


def _together(looked: Looked, more: tuple[Finding, ...], proposals: dict[str, str], seconds: float) -> Looked:
    findings = sorted((*looked.findings, *more), key=lambda each: (-each.severity, -each.excess, each.id))
    both = {**looked.proposals, **proposals}
    return Looked(looked.revision, looked.label, tuple(findings), both, looked.seconds + seconds, is_whole=True)


def _heard(sounds: SongSounds, plan: Plan, peaks: Mapping[str, Peaks] | None = None) -> Heard:
    rate = plan.song.sample_rate
    rows = {stem.path: stem for stem in Stem.objects.filter(song_id=sounds.song_id)}
    analyses: dict[str, StemAnalysis] = {}
    phrases: dict[str, list[Phrase]] = {}
    for track in plan.tracks:
        stem = rows.get(track.stem)
        if stem is None:
            raise CoreError(f'the stem "{track.stem}" is not there any more')
        analysis = stored_analysis(stem, rate) or analysis_of(open_stems(sounds, rate).samples(track), rate)
        analyses[track.id] = analysis
        phrases[track.id] = in_song(track, phrases_in(stem, analysis))
    return Heard(model_now(sounds, plan), analyses, phrases, peaks)


def _phrases_mark(song_id: int) -> str:
    """Return what tells thresholds and ends of phrases from others."""
    chosen = list(Stem.objects.filter(song_id=song_id).values_list("path", "threshold_db", "phrase_ends"))
    return sha256(repr(chosen).encode()).hexdigest()[:12]


def _newest_key(song_id: int) -> str:
    return f"findings-newest-{song_id}"
