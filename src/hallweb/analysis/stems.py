"""What a song's stems are like: measured once in the background, kept by content."""

import logging
from functools import lru_cache
from pathlib import Path

from django.db import InterfaceError, OperationalError, transaction

from hallweb.songs.files import analyses_folder, decoded_folder, song_folder
from hallweb.songs.lasting import here, keep
from hallweb.songs.models import Stem
from highhall.advise import gap_left_s
from highhall.errors import CoreError
from highhall.interchange.audio_files import decoded_stem, written_whole
from highhall.measure import Phrase, StemAnalysis, analysis_of, with_ends
from highhall.plan import Plan

BROKE_OFF = "Listening to this stem broke off because of a fault in High Hall, which its log describes. The stem still plays and prints."

_log = logging.getLogger(__name__)
_VERSION = 2  # of what is measured: another one measures anew


def stored_analysis(stem: Stem, sample_rate: int) -> StemAnalysis | None:
    """Return what a stem is like; None if it was not listened to yet."""
    path = here(_path(stem.content_hash, sample_rate))
    return _loaded(path) if path.exists() else None


def phrases_of(song_id: int, path: str, sample_rate: int) -> tuple[Phrase, ...] | None:
    """Return where a song's stem sounds, over the user's threshold if there is one; None if it was not listened to yet."""
    stem = Stem.objects.filter(song_id=song_id, path=path).first()
    analysis = stored_analysis(stem, sample_rate) if stem else None
    return phrases_in(stem, analysis) if stem and analysis else None


def gap_into(song_id: int, plan: Plan, return_id: str) -> tuple[str, float | None]:
    """Return the name of the track that feeds a return most, and the gap that its phrases leave in seconds, if it is known."""
    tracks = {track.id: track for track in plan.tracks}
    sends = [s for s in plan.sends_into(return_id) if s.on and s.level_db is not None and s.source in tracks]
    if not sends:
        return "", None
    track = tracks[max(sends, key=lambda send: send.level_db or 0.0).source]
    phrases = phrases_of(song_id, track.stem, plan.song.sample_rate)
    return track.name, None if phrases is None else gap_left_s(phrases)


def phrases_in(stem: Stem, analysis: StemAnalysis) -> tuple[Phrase, ...]:
    """Return where an analysed stem sounds, over the user's threshold and with the ends that the user has put elsewhere."""
    ends = {float(found): float(wanted) for found, wanted in stem.phrase_ends.items()}
    return with_ends(analysis.phrases(stem.threshold_db), ends)


def put_phrase_end(stem: Stem, analysis: StemAnalysis, number: int, end_s: float | None) -> None:
    """Let a phrase end elsewhere, in seconds of the stem; None lets it end where that was found.

    Raises
    ------
    LookupError
        If the stem has no such phrase.
    """
    found = analysis.phrases(stem.threshold_db)
    if number >= len(found):
        raise LookupError(number)
    with transaction.atomic():
        row = Stem.objects.select_for_update().get(pk=stem.pk)
        key = f"{found[number].end_s:.2f}"
        ends = {other: wanted for other, wanted in row.phrase_ends.items() if other != key}
        row.phrase_ends = ends if end_s is None else {**ends, key: round(end_s, 2)}
        row.save(update_fields=["phrase_ends"])


def set_threshold(stem: Stem, threshold_db: float | None) -> None:
    """Say from which level a stem sounds, in dB of full scale; None lets it be found."""
    Stem.objects.filter(pk=stem.pk).update(threshold_db=threshold_db)


def analyse(stem: Stem, sample_rate: int) -> None:
    """Listen to a stem and keep what it is like, or why that cannot be; once is enough."""
    path = here(_path(stem.content_hash, sample_rate))
    if path.exists():
        return
    try:
        source = here(song_folder(stem.song_id) / stem.path, stem.content_hash)
        samples = decoded_stem(source, sample_rate, decoded_folder(), stem.content_hash)
        with written_whole(path) as temporary:
            analysis_of(samples, sample_rate).save(temporary)
        keep(path)
    except (CoreError, OSError) as error:
        _refuse(stem, str(error))
    except (InterfaceError, OperationalError):  # the database went away: the queue has it done again
        raise
    except Exception:  # whatever it was, nobody shall wait for this stem for good
        _log.exception("stem %s could not be measured", stem.pk)
        _refuse(stem, BROKE_OFF)


def _refuse(stem: Stem, sentence: str) -> None:
    Stem.objects.filter(pk=stem.pk).update(problem=sentence[:300])


def is_analysed(stem: Stem, sample_rate: int) -> bool:
    """Whether a stem was listened to, or cannot be."""
    return bool(stem.problem) or here(_path(stem.content_hash, sample_rate)).exists()


def analysed_at(stem: Stem, sample_rate: int) -> float | None:
    """Return when a stem was analysed, in seconds since 1970; None if it was not yet."""
    try:
        return here(_path(stem.content_hash, sample_rate)).stat().st_mtime
    except FileNotFoundError:
        return None


def _path(content_hash: str, sample_rate: int) -> Path:
    return analyses_folder() / f"{content_hash}-{sample_rate}-{_VERSION}.npz"


@lru_cache(maxsize=64)
def _loaded(path: Path) -> StemAnalysis:
    return StemAnalysis.load(path)
