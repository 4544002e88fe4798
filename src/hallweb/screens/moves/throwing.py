"""Throws at the ends of phrases: of last words, in gaps, at the end of the song."""

from collections.abc import Sequence
from functools import reduce

from hallweb.inputs import Inputs
from hallweb.screens.moves.context import HeardTracks
from hallweb.screens.moves.entry import THROW_DB, THROW_IN, THROW_LENGTH, THROW_OUT, parse_value
from hallweb.screens.moves.pictures import SongScale
from hallweb.songs.actions import SongState
from highhall.advise.throws import PhraseEnd, ends_in, gap_throws, last_word_throw, ring_out
from highhall.errors import CoreError
from highhall.plan import Edit, SendTarget, Target, Throw
from highhall.plan.edits import add_throws
from highhall.plan.edits.moves import Cell
from highhall.wording import EntryError, parse_length, parse_optional_length


def phrase_ends(tracks: HeardTracks, target: Target) -> tuple[PhraseEnd, ...]:
    """Return the phrase ends of what a send comes from.

    Raises
    ------
    CoreError
        If they are not known.
    """
    heard = tracks.of(target.source) if isinstance(target, SendTarget) else None
    if heard is None:
        raise CoreError("phrases are known of tracks whose stems were listened to; throw a send of such a track")
    return tuple(heard.ends)


def thrown_at_phrases(opened: SongState, cells: Sequence[Cell], what: str, said: Inputs) -> tuple[str, Edit]:
    """Return what throws at the phrase ends of some cells are called and how they are made: `throw`, `fill` or `ring`.

    It raises EntryError for a text that cannot be read, and CoreError where there is nothing to throw.
    """
    plan, song = opened.plan, opened.plan.song
    ramp_in, ramp_out = (
        said.read("ramp_in", parse_optional_length, THROW_IN),
        said.read("ramp_out", parse_optional_length, THROW_OUT),
    )
    length = None if said.text("until") == "next" else said.read("length", parse_length, THROW_LENGTH)
    every = said.text("every", "1")
    if not every.isdecimal() or not 1 <= int(every) <= 32:
        raise EntryError("Type every how many phrase ends, from 1 to 32.")
    tracks = HeardTracks(opened, SongScale(song))
    made: dict[Target, list[Throw]] = {}
    for target, section_id in cells:
        ends = phrase_ends(tracks, target)
        value = parse_value(plan, target, said.text("throw", THROW_DB))
        section = song.section(section_id)
        if what == "throw":
            found = ends_in(song, ends, section, every=int(every))
            throws = [last_word_throw(song, end, section, value, length, ramp_in, ramp_out) for end in found]
        elif what == "fill":
            throws = gap_throws(song, ends, section, value, ramp_in, ramp_out)[int(every) - 1 :: int(every)]
        else:
            throws = [ring_out(song, ends, section, value, ramp_in)]
        made.setdefault(target, []).extend(throws)
    if not any(made.values()):
        raise CoreError("no phrase ends in what is chosen; choose a section in which the instrument plays")
    label = {"throw": "Throw last words", "fill": "Fill the gaps", "ring": "Ring out"}[what]
    return label, lambda newest: reduce(lambda p, pair: add_throws(p, *pair), made.items(), newest)
