"""Sharing a song: people with a role, links for whoever has no account, comments."""

from collections.abc import Iterable
from datetime import timedelta

from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Q
from django.utils import timezone

from hallweb.audit import tell
from hallweb.handoff.actions import start_print
from hallweb.handoff.models import PrintJob
from hallweb.sharing.models import Comment, LinkedPrint, ListeningLink
from hallweb.songs.models import Membership, Song, Version
from hallweb.tokens import kept_of, new_token
from highhall.errors import CoreError
from highhall.plan import Song as PlanSong
from highhall.timing import Position

LONGEST_DAYS = 365
MOST_PRINTS = 12
MOST_COMMENTS = 500
_COPY = {"format": "flac", "depth": "16", "rate": None, "pattern": None, "parts": ["main"]}


class SharingError(CoreError):
    """A song cannot be shared so; the text says why and what would be right."""


def share_with(song: Song, name: str, role: str) -> Membership:
    """Give an account, by its name or e-mail address, a role in a song; whoever has one gets the new one.

    Raises
    ------
    SharingError
        If there is no such account, or it is the owner's.
    """
    user = User.objects.filter(Q(username=name) | Q(email__iexact=name), is_active=True).exclude(username="").first()
    if not name or user is None:
        raise SharingError(f'there is no account "{name}" here; expected a name or an e-mail address')
    if user.pk == song.owner_id:
        raise SharingError(f"this song is owned by {user.username} already")
    membership, _ = Membership.objects.update_or_create(song=song, user=user, defaults={"role": role})
    tell("shared", song=song.pk, account=user.get_username(), role=role)
    return membership


def make_link(
    song: Song, author: User, name: str, days: int, versions: Iterable[Version], prints: Iterable[PrintJob]
) -> tuple[ListeningLink, str]:
    """Make a link to prints, and to versions, of which main is printed for it; return it with its token, which is kept nowhere.

    Raises
    ------
    SharingError
        If nothing is chosen, too much, or the link would be open for too long.
    """
    versions, prints = list(versions), list(prints)
    if not versions and not prints:
        raise SharingError("nothing is chosen to be heard; choose a version or a print")
    if len(versions) + len(prints) > MOST_PRINTS:
        raise SharingError(f"a link lets {MOST_PRINTS} prints be heard at most")
    if not 1 <= days <= LONGEST_DAYS:
        raise SharingError(f"a link is open for 1 to {LONGEST_DAYS} days")
    token = new_token()
    with transaction.atomic():
        link = ListeningLink.objects.create(
            song=song,
            name=name,
            author=author,
            token_sha256=kept_of(token),
            expires=timezone.now() + timedelta(days=days),
        )
        heard = [(start_print(song, each.revision, author, dict(_COPY)), each.name) for each in versions]
        heard += [(job, f"Revision {job.revision.number}") for job in prints]
        LinkedPrint.objects.bulk_create(LinkedPrint(link=link, job=job, name=name) for job, name in heard)
    tell("made a listening link", song=song.pk, link=link.pk, account=author.get_username(), days=days)
    return link, token


def open_link(token: str) -> ListeningLink | None:
    """Return the link of a token, as long as it opens."""
    links = ListeningLink.objects.open().select_related("song__head").defer("song__head__document")
    return links.filter(token_sha256=kept_of(token)).first()


def revoke(link: ListeningLink) -> None:
    """Close a link for good."""
    ListeningLink.objects.filter(pk=link.pk, revoked=None).update(revoked=timezone.now())
    tell("closed a listening link", song=link.song_id, link=link.pk)


def comment(
    song: Song, plan_song: PlanSong, *, name: str, at: str, text: str, heard: str = "", author: User | None = None,
    link: ListeningLink | None = None,
) -> Comment:  # fmt: skip
    """Add a comment at a bar and beat.

    Raises
    ------
    CoreError
        If it says nothing, its place is not in the song, or there are too many.
    """
    if not name or not text:
        raise SharingError("a comment needs a name and some words")
    if Comment.objects.filter(song=song, link=link).count() >= MOST_COMMENTS:
        raise SharingError(f"there are {MOST_COMMENTS} comments already; some have to be removed first")
    place = Position.parse(at)
    if not Position(1) <= place <= plan_song.end:
        raise SharingError(f"{at} is not in the song, which ends at {plan_song.end}")
    return Comment.objects.create(
        song=song, link=link, author=author, name=name[:80], at=str(place)[:40], text=text[:1000], heard=heard[:120]
    )
