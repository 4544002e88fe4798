"""Posted fields of a return or of a group's tone: set, and shown while a handle is dragged."""

from collections.abc import Callable
from typing import Protocol

from django.http import HttpRequest, HttpResponse

from hallweb.inputs import inputs
from hallweb.screens.common.context import edited, rehearsed, rehearses, sentence_of
from hallweb.screens.returns.changes import Change, posted_change
from hallweb.screens.returns.context import NO_ERRORS, Errors
from hallweb.songs.actions import SongState
from highhall.errors import CoreError
from highhall.plan import Plan

MadeChange = Callable[[Plan, str, str], Change]
"""What a path and a text make of a plan."""


class Part(Protocol):
    """What a change is answered with: a strip drawn anew, with what was refused at its field."""

    def __call__(
        self, request: HttpRequest, opened: SongState, key: str, errors: Errors = NO_ERRORS, status: int = 200
    ) -> HttpResponse:
        """Return the part of the page."""
        ...


def set_posted(
    request: HttpRequest,
    opened: SongState,
    key: str,
    name: str,
    made: MadeChange,
    part: Part,
    prepare: Callable[[str, str], None] | None = None,
    *,
    later: str = "",
) -> HttpResponse:
    """Set the posted fields as one edit; what is refused is said at its field, with what was typed.

    `prepare` is called with the first path and text before the edit; it may refuse them with a CoreError. `later` is
    where the part can be asked for: see `edited`.
    """
    said = inputs(request)
    path, text = said.text("path"), said.text("value")

    if rehearses(request):
        return rehearsed(request, opened.song.pk, lambda plan: posted_change(said, plan, made).edit(plan))

    def refuse(error: CoreError) -> HttpResponse:
        return part(request, opened, key, {path: (text, sentence_of(error))}, status=422)

    try:
        change = posted_change(said, opened.plan, made)
        if prepare:
            prepare(path, text)
    except CoreError as error:
        return refuse(error)
    label = f"{change.what}, {name}"
    return edited(
        request, opened.song.pk, label, change.edit, lambda state: part(request, state, key), refuse, later=later
    )


def previewed(
    request: HttpRequest, plan: Plan, made: MadeChange, draw: Callable[[Plan, str], HttpResponse]
) -> HttpResponse:
    """Draw the plan as the posted fields would make it, with the path that is held; nothing is stored."""
    said = inputs(request)
    try:
        changed = posted_change(said, plan, made).edit(plan)
    except CoreError as error:
        return HttpResponse(sentence_of(error), status=422, content_type="text/plain; charset=utf-8")
    return draw(changed, said.text("held"))
