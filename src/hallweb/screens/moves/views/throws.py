"""Throws: of last words, in gaps, at the end; one or a set of them changed."""

from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.views.decorators.http import require_POST

from hallweb.screens.common.context import edited, open_song, refused, sentence_of
from hallweb.screens.moves.context import HeardTracks
from hallweb.screens.moves.entry import (
    THROW_DB,
    THROW_IN,
    THROW_LENGTH,
    THROW_OUT,
    parse_value,
    posted_targets,
)
from hallweb.screens.moves.pictures import SongScale
from hallweb.screens.moves.views.moves import sheet
from hallweb.songs.actions import SongState
from highhall.advise.throws import PhraseEnd, ends_in, gap_throws, last_word_throw, ring_out
from highhall.errors import CoreError
from highhall.plan import Edit, Plan, SendTarget, Target, Throw
from highhall.plan.edits import add_throws, change_throws, remove_throws
from highhall.plan.edits.moves import Cell
from highhall.plan.move_table import target_place
from highhall.wording import EntryError, parse_length, parse_optional_length, parse_position


@login_required
@require_POST
def throw_one(request: HttpRequest, song_id: int) -> HttpResponse:
    """Throw the last word of one phrase, by its number among a track's."""
    opened = open_song(request, song_id)
    (target,) = posted_targets(opened.plan, [request.POST.get("target", "")])
    number = request.POST.get("phrase", "")
    try:
        ends = _ends(HeardTracks(opened, SongScale(opened.plan.song)), target)
        if not number.isdecimal() or int(number) >= len(ends):
            raise Http404
        value = parse_value(opened.plan, target, request.POST.get("throw", THROW_DB))
        lengths = [parse_optional_length(request.POST.get(name, default)) for name, default in (("length", THROW_LENGTH), ("ramp_in", THROW_IN), ("ramp_out", THROW_OUT))]  # fmt: skip
    except (EntryError, CoreError) as error:
        return refused(request, sentence_of(error))
    throw = last_word_throw(opened.plan.song, ends[int(number)], value, *lengths)
    label = f"Throw at {throw.at.bar}, {target_place(opened.plan, target)}"
    return edited(
        request, song_id, label, lambda p: add_throws(p, target, [throw]), lambda state: sheet(request, state)
    )


@login_required
@require_POST
def change_throw(request: HttpRequest, song_id: int) -> HttpResponse:
    """Change or remove a throw: itself, all of its row in its section, or all of its row, as `reach` says."""
    post, plan = request.POST, open_song(request, song_id).plan
    (target,) = posted_targets(plan, [post.get("target", "")])
    try:
        at = parse_position(post.get("at", ""))
        move = plan.move(target)
        section = next((s for s in plan.song.sections if s.start <= at < s.end), None)
        places = [throw.at for throw in move.throws] if move else []
        if post.get("reach") == "section" and section:
            places = [place for place in places if section.start <= place < section.end]
        elif post.get("reach") != "row":
            places = [place for place in places if place == at]
        if post.get("do") == "remove":
            edit: Edit = lambda p: remove_throws(p, target, places)  # noqa: E731
        else:
            fields: dict[str, Any] = {
                "value": parse_value(plan, target, post.get("value", "")),
                "length": parse_length(post.get("length", "")),
                "ramp_in": parse_optional_length(post.get("ramp_in", "")),
                "ramp_out": parse_optional_length(post.get("ramp_out", "")),
            }
            if len(places) == 1 and post.get("start", "").strip():
                fields["at"] = parse_position(post["start"])
            edit = lambda p: change_throws(p, target, places, **fields)  # noqa: E731
    except (EntryError, CoreError) as error:
        return refused(request, sentence_of(error))
    what = "Remove throw" if post.get("do") == "remove" else "Throw"
    count = f" ×{len(places)}" if len(places) != 1 else f" at {at.bar}"
    label = f"{what}{count}, {target_place(plan, target)}"
    return edited(request, song_id, label, edit, lambda state: sheet(request, state))


def _ends(tracks: HeardTracks, target: Target) -> tuple[PhraseEnd, ...]:
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


def throwing(request: HttpRequest, opened: SongState, cells: list[Cell], what: str) -> tuple[str, Edit]:
    """Return what throws at the phrase ends of some cells are called and how they are made: `throw`, `fill` or `ring`.

    It raises EntryError for a text that cannot be read, and CoreError where there is nothing to throw.
    """
    post, plan = request.POST, opened.plan
    song = plan.song
    ramp_in, ramp_out = (
        parse_optional_length(post.get("ramp_in", THROW_IN)),
        parse_optional_length(post.get("ramp_out", THROW_OUT)),
    )
    length = None if post.get("until") == "next" else parse_length(post.get("length", THROW_LENGTH))
    every = post.get("every", "1")
    if not every.isdecimal() or not 1 <= int(every) <= 32:
        raise EntryError("Type every how many phrase ends, from 1 to 32.")
    tracks = HeardTracks(opened, SongScale(song))
    made: dict[Target, list[Throw]] = {}
    for target, section_id in cells:
        ends = _ends(tracks, target)
        value = parse_value(plan, target, post.get("throw", THROW_DB))
        found = ends_in(song, ends, song.section(section_id), every=int(every))
        if what == "throw":
            throws = [last_word_throw(song, end, value, length, ramp_in, ramp_out) for end in found]
        elif what == "fill":
            throws = gap_throws(song, found, value, ramp_in, ramp_out)
        else:
            throws = [ring_out(song, ends, value, ramp_in)]
        made.setdefault(target, []).extend(throws)
    if not any(made.values()):
        raise CoreError("no phrase ends in what is chosen; choose a section in which the instrument plays")
    label = {"throw": "Throw last words", "fill": "Fill the gaps", "ring": "Ring out"}[what]
    return label, lambda p: _thrown(p, made)


def _thrown(plan: Plan, made: dict[Target, list[Throw]]) -> Plan:
    for target, throws in made.items():
        plan = add_throws(plan, target, throws)
    return plan
