"""Throws: of last words, in gaps, at the end; one or a set of them changed."""

from collections.abc import Callable
from functools import partial
from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.views.decorators.http import require_POST

from hallweb.inputs import inputs
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
from hallweb.screens.moves.throwing import phrase_ends
from hallweb.screens.moves.views.moves import page
from highhall.advise.throws import last_word_throw
from highhall.errors import CoreError
from highhall.plan import Edit
from highhall.plan.edits import add_throws, change_throws, remove_throws
from highhall.plan.move_table import target_place
from highhall.wording import EntryError, parse_length, parse_optional_length, parse_position


@login_required
@require_POST
def throw_one(request: HttpRequest, song_id: int) -> HttpResponse:
    """Throw the last word of one phrase, by its number among a track's."""
    opened = open_song(request, song_id)
    (target,) = posted_targets(opened.plan, [inputs(request).text("target")])
    number = inputs(request).text("phrase")
    try:
        ends = phrase_ends(HeardTracks(opened, SongScale(opened.plan.song)), target)
        if not number.isdecimal() or int(number) >= len(ends):
            raise Http404
        value = parse_value(opened.plan, target, inputs(request).text("throw", THROW_DB))
        lengths = [
            inputs(request).read(name, parse_optional_length, default)
            for name, default in (("length", THROW_LENGTH), ("ramp_in", THROW_IN), ("ramp_out", THROW_OUT))
        ]
    except (EntryError, CoreError) as error:
        return refused(request, sentence_of(error))
    throw = last_word_throw(opened.plan.song, ends[int(number)], None, value, *lengths)
    label = f"Throw at {throw.at.bar}, {target_place(opened.plan, target)}"
    return edited(request, song_id, label, lambda p: add_throws(p, target, [throw]), lambda state: page(request, state))


@login_required
@require_POST
def change_throw(request: HttpRequest, song_id: int) -> HttpResponse:
    """Change or remove a throw: itself, all of its row in its section, or all of its row, as `reach` says."""
    post, plan = inputs(request), open_song(request, song_id).plan
    (target,) = posted_targets(plan, [post.text("target")])
    try:
        at = post.read("at", parse_position)
        move = plan.move(target)
        section = next((s for s in plan.song.sections if s.start <= at < s.end), None)
        places = [throw.at for throw in move.throws] if move else []
        if post.text("reach") == "section" and section:
            places = [place for place in places if section.start <= place < section.end]
        elif post.text("reach") != "row":
            places = [place for place in places if place == at]
        if post.text("do") == "remove":
            edit: Edit = lambda p: remove_throws(p, target, places)  # noqa: E731
        else:
            readers: dict[str, Callable[[str], Any]] = {
                "value": partial(parse_value, plan, target), "length": parse_length,
                "ramp_in": parse_optional_length, "ramp_out": parse_optional_length,
            }  # fmt: skip
            fields = {name: post.read(name, reader) for name, reader in readers.items() if post.says(name)}
            if len(places) == 1 and post.has("start"):
                fields["at"] = post.read("start", parse_position)
            edit = lambda p: change_throws(p, target, places, **fields)  # noqa: E731
    except (EntryError, CoreError) as error:
        return refused(request, sentence_of(error))
    what = "Remove throw" if post.text("do") == "remove" else "Throw"
    count = f" ×{len(places)}" if len(places) != 1 else f" at {at.bar}"
    label = f"{what}{count}, {target_place(plan, target)}"
    return edited(request, song_id, label, edit, lambda state: page(request, state))
