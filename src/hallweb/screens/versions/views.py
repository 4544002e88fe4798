"""The Versions screen: name what is there, compare with what was, take single changes over, listen blindly."""

from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_POST, require_safe

from hallweb.access import editable_song, user_of, viewable_song
from hallweb.inputs import inputs
from hallweb.screens.common.context import (
    base_revision,
    changed,
    frame_context,
    open_song,
    refused,
    sentence_of,
    show_screen,
)
from hallweb.screens.versions.comparison import difference_rows
from hallweb.songs.actions import SongState
from hallweb.songs.models import Version
from hallweb.songs.revisions import plan_of
from hallweb.songs.versions import keep_version, open_version, take_from_version
from highhall.advise.preference import chance_of_guessing
from highhall.errors import CoreError
from highhall.plan.differences import differences
from highhall.wording import EntryError, parse_name

TEMPLATE = "versions/page.html"
_MOST_ROUNDS = 20
_SURE, _RATHER_SURE = 0.05, 0.2


@login_required
@require_safe
def show(request: HttpRequest, song_id: int) -> HttpResponse:
    """Show the song's versions, and in what the one named by `with` differs from what is there now."""
    opened = open_song(request, song_id)
    return show_screen(request, opened, "versions", TEMPLATE, _context(opened, inputs(request).text("with")))


def page(request: HttpRequest, opened: SongState, compared: str) -> HttpResponse:
    """Return the page, drawn anew, without its frame."""
    context = {**frame_context(opened, "versions"), **_context(opened, compared), "is_part": True}
    return render(request, f"{TEMPLATE}#page", context)


def _context(opened: SongState, compared: str) -> dict[str, Any]:
    rows = list(opened.song.versions.select_related("revision").defer("revision__document"))
    versions = [{"row": v, "count": len(differences(opened.plan, plan_of(v.revision_id)))} for v in rows]
    other = next((v for v in rows if str(v.pk) == compared), None)
    found = difference_rows(opened.plan, plan_of(other.revision_id)) if other else []
    return {"versions": versions, "other": other, "differences": found}


def _version(request: HttpRequest, song_id: int, version_id: int) -> Version:
    song = editable_song(request, song_id)
    return get_object_or_404(Version.objects.select_related("song"), song=song, pk=version_id)


@login_required
@require_POST
def keep(request: HttpRequest, song_id: int) -> HttpResponse:
    """Give the revision that is seen a name."""
    opened = open_song(request, song_id)
    try:
        number = base_revision(request)
        if not opened.song.revisions.filter(number=number).exists():
            raise Http404
        keep_version(opened.song, number, inputs(request).read("name", parse_name))
    except (EntryError, CoreError) as error:
        return refused(request, sentence_of(error))
    return page(request, opened, inputs(request).text("with"))


@login_required
@require_POST
def remove(request: HttpRequest, song_id: int, version_id: int) -> HttpResponse:
    """Take a version's name away; the revision stays in the history."""
    _version(request, song_id, version_id).delete()
    return page(request, open_song(request, song_id), "")


@login_required
@require_POST
def reopen(request: HttpRequest, song_id: int, version_id: int) -> HttpResponse:
    """Make the song as it is in a version, to go on from there."""
    version = _version(request, song_id, version_id)
    return changed(
        request,
        song_id,
        lambda song_id, base: open_version(song_id, base, version, user_of(request)),
        lambda state: page(request, state, str(version_id)),
    )


@login_required
@require_POST
def take(request: HttpRequest, song_id: int, version_id: int) -> HttpResponse:
    """Take one difference over from a version."""
    version = _version(request, song_id, version_id)
    key, what = inputs(request).text("key"), inputs(request).text("what")
    return changed(
        request,
        song_id,
        lambda song_id, base: take_from_version(song_id, base, version, key, what, user_of(request)),
        lambda state: page(request, state, str(version_id)),
    )


@login_required
@require_safe
def verdict(request: HttpRequest, song_id: int) -> HttpResponse:
    """Say what a blind comparison has shown: `chosen` of `rounds` went to version B, the rest to A."""
    viewable_song(request, song_id)
    texts = [inputs(request).text(name) for name in ("chosen", "rounds")]
    if not all(text.isdecimal() for text in texts):
        raise Http404
    chosen, rounds = map(int, texts)
    if not (1 <= rounds <= _MOST_ROUNDS and chosen <= rounds):
        raise Http404
    chance = chance_of_guessing(chosen, rounds)
    context = {
        "a": rounds - chosen,
        "b": chosen,
        "rounds": rounds,
        "percent": chance * 100,
        "preferred": "" if 2 * chosen == rounds else "B" if 2 * chosen > rounds else "A",
        "is_sure": chance <= _SURE,
        "is_rather_sure": chance <= _RATHER_SURE,
    }
    return render(request, f"{TEMPLATE}#verdict", context)
