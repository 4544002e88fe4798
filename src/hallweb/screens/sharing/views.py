"""The Share screen: people with a role, links for those without an account, comments, and who changed what."""

from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST, require_safe

from hallweb.access import editable_song, owned_song, user_of
from hallweb.handoff.models import PrintJob
from hallweb.inputs import inputs
from hallweb.screens.common.context import frame_context, open_heard_song, refused, sentence_of, show_screen
from hallweb.sharing import actions
from hallweb.sharing.models import Comment, ListeningLink
from hallweb.songs.actions import SongState
from hallweb.songs.models import Membership, Song
from highhall.errors import CoreError
from highhall.timing import Position

TEMPLATE = "sharing/page.html"
_DAYS = 30
_CHANGES_SHOWN = 40


@login_required
@require_safe
def show(request: HttpRequest, song_id: int) -> HttpResponse:
    """Show with whom the song is shared, what was said about it, and who changed it."""
    opened = open_heard_song(request, song_id)
    return show_screen(request, opened, "sharing", TEMPLATE, _context(request, opened))


def _page(request: HttpRequest, song_id: int, **more: object) -> HttpResponse:
    return page(request, open_heard_song(request, song_id), **more)


def page(request: HttpRequest, opened: SongState, **more: object) -> HttpResponse:
    """Return the page, drawn anew, without its frame."""
    context = {**frame_context(opened, "sharing"), **_context(request, opened), **more}
    return render(request, f"{TEMPLATE}#page", {**context, "is_part": True})


def _context(request: HttpRequest, opened: SongState) -> dict[str, Any]:
    song, is_owner = opened.song, opened.song.owner_id == request.user.pk
    context: dict[str, Any] = {
        "is_owner": is_owner,
        "owner": song.owner,
        "people": song.memberships.select_related("user"),
        "roles": Membership.Role.choices,
        "comments": [_comment(opened, each) for each in song.comments.select_related("link")],
        "changes": song.revisions.select_related("author").defer("document").order_by("-number")[:_CHANGES_SHOWN],
        "days": _DAYS,
        "longest_days": actions.LONGEST_DAYS,
    }
    if is_owner:
        context |= {
            "links": song.links.prefetch_related("prints__job"),
            "versions": song.versions.all(),
            "prints": [job for job in _prints(song) if job.file_of("main")],
        }
    return context


def _prints(song: Song) -> list[PrintJob]:
    done = PrintJob.objects.filter(song=song, state=PrintJob.State.DONE)
    return list(done.select_related("revision").defer("revision__document"))


def _comment(opened: SongState, row: Comment) -> dict[str, Any]:
    """Return a comment with the sample that it is about, as far as the song still reaches there."""
    song = opened.plan.song
    return {"row": row, "sample": song.time.sample_at(min(Position.parse(row.at), song.end))}


# people


@login_required
@require_POST
def add_person(request: HttpRequest, song_id: int) -> HttpResponse:
    """Give an account a role in the song."""
    song, said = owned_song(request, song_id), inputs(request)
    try:
        actions.share_with(song, said.text("name").strip(), said.choice("role", Membership.Role.values))
    except CoreError as error:
        return refused(request, sentence_of(error))
    return _page(request, song_id)


@login_required
@require_POST
def remove_person(request: HttpRequest, song_id: int, member_id: int) -> HttpResponse:
    """Take somebody's role away."""
    get_object_or_404(Membership, song=owned_song(request, song_id), pk=member_id).delete()
    return _page(request, song_id)


# listening links


@login_required
@require_POST
def add_link(request: HttpRequest, song_id: int) -> HttpResponse:
    """Make a listening link and show its address, this once."""
    song, said = owned_song(request, song_id), inputs(request)
    versions = [each for each in song.versions.select_related("revision") if str(each.pk) in said.texts("version")]
    prints = [job for job in _prints(song) if str(job.pk) in said.texts("print") and job.file_of("main")]
    try:
        name = said.text("name").strip()[:80] or "Listening link"
        _, token = actions.make_link(song, user_of(request), name, said.whole("days", _DAYS), versions, prints)
    except CoreError as error:
        return refused(request, sentence_of(error))
    address = request.build_absolute_uri(reverse("listening:show", args=[token]))
    return _page(request, song_id, new_address=address)


@login_required
@require_POST
def revoke_link(request: HttpRequest, song_id: int, link_id: int) -> HttpResponse:
    """Close a listening link."""
    actions.revoke(get_object_or_404(ListeningLink, song=owned_song(request, song_id), pk=link_id))
    return _page(request, song_id)


# comments


@login_required
@require_POST
def add_comment(request: HttpRequest, song_id: int) -> HttpResponse:
    """Say something at a bar and beat; whoever hears the song may."""
    opened, said, user = open_heard_song(request, song_id), inputs(request), user_of(request)
    try:
        actions.comment(
            opened.song, opened.plan.song, name=user.get_username(), author=user, at=said.text("at").strip(),
            text=said.text("text").strip(), heard=f"Revision {opened.revision.number}",
        )  # fmt: skip
    except CoreError as error:
        return refused(request, sentence_of(error))
    return _page(request, song_id)


@login_required
@require_POST
def mark_done(request: HttpRequest, song_id: int, comment_id: int) -> HttpResponse:
    """Mark a comment as done, or as open again."""
    row = get_object_or_404(Comment, song=editable_song(request, song_id), pk=comment_id)
    row.done = None if row.done else timezone.now()
    row.save(update_fields=["done"])
    return _page(request, song_id)


@login_required
@require_POST
def remove_comment(request: HttpRequest, song_id: int, comment_id: int) -> HttpResponse:
    """Remove a comment."""
    get_object_or_404(Comment, song=editable_song(request, song_id), pk=comment_id).delete()
    return _page(request, song_id)
