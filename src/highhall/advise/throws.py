"""Throws that follow what is sung or played: at the ends of phrases, in the gaps between them, at the end of the song."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

from highhall.errors import CoreError
from highhall.measure import Phrase
from highhall.plan import Section, Song, Throw
from highhall.plan.model import MoveValue
from highhall.timing import Milliseconds, Position, TimeValue

_SHORTEST_GAP_S = 0.4
_RING_OUT_S = 4.0


@dataclass(frozen=True, slots=True, kw_only=True)
class PhraseEnd:
    """The end of a phrase in a song, in seconds from 1|1: where its last word begins, where it ends, where the next one begins."""

    word_s: float
    end_s: float
    next_s: float | None


def phrase_ends(
    phrases: Sequence[Phrase], start_s: float, word_start_s: Callable[[Phrase], float]
) -> tuple[PhraseEnd, ...]:
    """Return the ends of a stem's phrases in the song. The stem begins at `start_s`; `word_start_s` finds last words in it."""
    following = [start_s + phrase.start_s for phrase in phrases[1:]] + [None]
    return tuple(
        PhraseEnd(word_s=start_s + word_start_s(phrase), end_s=start_s + phrase.end_s, next_s=after)
        for phrase, after in zip(phrases, following, strict=True)
    )


def ends_in(song: Song, ends: Iterable[PhraseEnd], section: Section | None, *, every: int = 1) -> list[PhraseEnd]:
    """Return the phrase ends whose last word begins in a section, or anywhere; of these every n-th, the n-th first."""
    start, stop = _limits(song, section)
    found = [end for end in ends if section is None or start <= end.word_s < stop]
    return found[every - 1 :: every]


def last_word_throw(
    song: Song,
    end: PhraseEnd,
    section: Section | None,
    value: MoveValue,
    length: TimeValue | None,
    ramp_in: TimeValue | None,
    ramp_out: TimeValue | None,
) -> Throw:
    """Return a throw of a phrase's last word; without a length it lasts until the next phrase or the section's end."""
    at = _position(song, end.word_s)
    if length is None:
        last = _limits(song, section)[1]
        close = last if end.next_s is None else min(end.next_s, last)
        length = _milliseconds(max(close - song.time.seconds_at(at), _SHORTEST_GAP_S))
    return Throw(at=at, length=length, value=value, ramp_in=ramp_in, ramp_out=ramp_out)


def gap_throws(
    song: Song,
    ends: Iterable[PhraseEnd],
    section: Section | None,
    value: MoveValue,
    ramp_in: TimeValue | None,
    ramp_out: TimeValue | None,
) -> list[Throw]:
    """Return throws that are open only where the source is silent: from a phrase's end until the ramp out to the next one.

    They lie inside a section, also where the gap reaches beyond it; None is the whole song. Gaps shorter than 0.4 s there
    stay closed.
    """
    first, last = _limits(song, section)
    throws = []
    for end in ends:
        close = min(last if end.next_s is None else end.next_s, last)
        at = _position(song, max(end.end_s, first))
        opened = song.time.seconds_at(at)
        ramp_s = song.time.seconds_of(ramp_out, at) if ramp_out else 0.0
        if close - ramp_s - opened >= _SHORTEST_GAP_S:
            length = _milliseconds(close - ramp_s - opened)
            throws.append(Throw(at=at, length=length, value=value, ramp_in=ramp_in, ramp_out=ramp_out))
    return throws


def ring_out(
    song: Song, ends: Sequence[PhraseEnd], section: Section | None, value: MoveValue, ramp_in: TimeValue | None
) -> Throw:
    """Return a throw that opens at the last word of a section and stays open to its end; the song's last one beyond that.

    Raises
    ------
    CoreError
        If the source has no phrase there.
    """
    here = ends_in(song, ends, section)
    if not here:
        raise CoreError("the source has no phrase there that could ring out")
    at = _position(song, here[-1].word_s)
    end_s = song.time.seconds_at(song.end) + _RING_OUT_S if here[-1] is ends[-1] else _limits(song, section)[1]
    return Throw(at=at, length=_milliseconds(end_s - song.time.seconds_at(at)), value=value, ramp_in=ramp_in)


def _limits(song: Song, section: Section | None) -> tuple[float, float]:
    """Return where a section, or the song, begins and ends, in seconds."""
    start, end = (section.start, section.end) if section else (Position(1), song.end)
    return song.time.seconds_at(start), song.time.seconds_at(end)


def _position(song: Song, seconds: float) -> Position:
    return song.time.position_at_sample(round(seconds * song.sample_rate))


def _milliseconds(seconds: float) -> Milliseconds:
    return Milliseconds(round(seconds * 1000, 1))
