"""The Findings screen: what is likely to be a mistake, its evidence, and what mends it."""

from collections.abc import Sequence
from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST, require_safe

from hallweb.audition.background import MeasurementError
from hallweb.audition.findings import Looked, looked_at, newest_look, taken
from hallweb.inputs import inputs
from hallweb.screens.common.context import edited, frame_context, open_song, refused, sentence_of, show_screen
from hallweb.screens.findings.context import (
    HERE,
    REASONS,
    FindingsState,
    counted,
    findings_context,
    kinds_context,
    looked_words,
    marks_of,
    told,
)
from hallweb.songs.actions import SongState
from hallweb.songs.models import SetAside
from highhall.errors import CoreError
from highhall.findings import STRICTNESS, Finding
from highhall.plan import Plan

TEMPLATE = "findings/page.html"
_LONGEST_LABEL = 180


@login_required
@require_safe
def show(request: HttpRequest, song_id: int) -> HttpResponse:
    """Show what was found; until the newest edit was looked at, what was found before it."""
    opened = open_song(request, song_id)
    return show_screen(request, opened, "findings", TEMPLATE, _context(request, opened))


def page(request: HttpRequest, opened: SongState, changes: Sequence[str] = ()) -> HttpResponse:
    """Return the page, drawn anew, without its frame; `changes` are what was just taken, in words."""
    context = {**frame_context(opened, "findings"), **_context(request, opened), "is_part": True, "changes": changes}
    return render(request, f"{TEMPLATE}#page", context)


def _context(request: HttpRequest, opened: SongState) -> dict[str, Any]:
    state = FindingsState.of(inputs(request), opened.plan)
    looked, problem = _looked(opened)
    shown = looked or newest_look(opened.song.pk)
    context: dict[str, Any] = {"state": state, "problem": problem, "is_waiting": looked is None or not looked.is_whole}
    context |= kinds_context()
    if shown is None:
        return context
    words = looked_words(shown)
    return {**context, **findings_context(opened, shown, state, is_newest=looked is not None), "looked_words": words}


def _looked(opened: SongState, *, renders: bool = True) -> tuple[Looked | None, str]:
    try:
        return looked_at(opened.revision, renders=renders), ""
    except MeasurementError as error:
        return None, str(error)


@login_required
@require_safe
def count(request: HttpRequest, song_id: int) -> HttpResponse:
    """Return how many findings there are, for the rail, and what other screens mark."""
    opened = open_song(request, song_id)
    looked, problem = _looked(opened, renders=False)
    shown = looked or newest_look(song_id)
    findings = told(opened.song, shown)[0] if shown else []
    is_waiting = looked is None and not problem
    context = {"song": opened.song, "count": counted(findings), "marks": marks_of(findings), "is_waiting": is_waiting}
    return render(request, "findings/count.html", context)


@login_required
@require_POST
def take_findings(request: HttpRequest, song_id: int) -> HttpResponse:
    """Make what one or several findings propose, as one edit."""
    opened = open_song(request, song_id)
    ids = inputs(request).texts("finding")
    known = _known(song_id)
    titles = [finding.title for finding in known if finding.id in ids]
    name = titles[0] if len(titles) == 1 else f"{len(ids)} findings"
    label = f"Mended: {name}"[:_LONGEST_LABEL]

    try:
        here = taken(song_id, opened.plan, ids, known)  # a second or more: not while the song is locked
    except CoreError as error:
        return refused(request, sentence_of(error))
    changes: list[str] = []

    def edit(plan: Plan) -> Plan:
        mended, changes[:] = here if plan == opened.plan else taken(song_id, plan, ids, known)
        return mended

    return edited(request, song_id, label, edit, lambda state: page(request, state, changes))


@login_required
@require_POST
def set_aside(request: HttpRequest, song_id: int) -> HttpResponse:
    """Tell a finding no more, for a reason; "on purpose in this section" holds for all of its kind there."""
    opened = open_song(request, song_id)
    finding = next((each for each in _known(song_id) if each.id == inputs(request).text("finding")), None)
    if finding is None:
        raise Http404
    reason = inputs(request).choice("reason", REASONS, REASONS[0])
    section = finding.section or "" if reason == HERE else ""
    row = {"kind": finding.kind, "section": section, "title": finding.title, "figure": finding.figure, "reason": reason}
    SetAside.objects.update_or_create(song=opened.song, finding=finding.id, defaults=row)
    return page(request, opened)


@login_required
@require_POST
def bring_back(request: HttpRequest, song_id: int) -> HttpResponse:
    """Tell a finding again."""
    opened = open_song(request, song_id)
    opened.song.set_aside.filter(finding=inputs(request).text("finding")).delete()
    return page(request, opened)


@login_required
@require_POST
def change_strictness(request: HttpRequest, song_id: int) -> HttpResponse:
    """Change from where on something is told in this song."""
    opened = open_song(request, song_id)
    opened.song.strictness = inputs(request).choice("strictness", STRICTNESS)
    opened.song.save(update_fields=["strictness"])
    return page(request, opened)


def _known(song_id: int) -> tuple[Finding, ...]:
    looked = newest_look(song_id)
    return looked.findings if looked else ()
