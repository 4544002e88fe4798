"""Where the phrases of a song's tracks end, and where their last words begin; worked out once for a stem's content."""

from functools import lru_cache

from hallweb.songs.sounds import SongSounds, open_stems
from highhall.advise.throws import PhraseEnd, phrase_ends
from highhall.measure import Phrase
from highhall.measure.words import last_word_start_s
from highhall.plan import Plan, Track


def ends_of(sounds: SongSounds, plan: Plan, track: Track, phrases: tuple[Phrase, ...]) -> tuple[PhraseEnd, ...]:
    """Return the ends of a track's phrases in the song."""
    return _ends(sounds, track.stem, phrases, track.start_s, plan.song.sample_rate)


@lru_cache(maxsize=256)
def _ends(
    sounds: SongSounds, stem: str, phrases: tuple[Phrase, ...], start_s: float, sample_rate: int
) -> tuple[PhraseEnd, ...]:
    samples = open_stems(sounds, sample_rate).by_path(stem)
    return phrase_ends(phrases, start_s, lambda phrase: last_word_start_s(samples, sample_rate, phrase))
