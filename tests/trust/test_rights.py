"""Every address, every role, reading and writing: what the table of rights says, and nothing else."""

import re
from collections.abc import Iterator
from datetime import timedelta

import pytest
from django.test import Client
from django.urls import URLPattern, URLResolver, get_resolver
from django.utils import timezone

from hallweb.handoff.models import PrintJob
from hallweb.sharing.actions import make_link, open_link, revoke
from hallweb.sharing.models import ListeningLink
from hallweb.songs.models import Membership, Song, SongQuerySet, Upload
from hallweb.songs.versions import keep_version
from tests.trust.rights import (
    ACCOUNT,
    ANYBODY,
    BEGIN,
    DOCUMENT,
    EDITOR,
    END,
    LINK,
    LISTENER,
    OWNER,
    RANK,
    TABLE,
    Row,
    as_markdown,
)
from tests.web.factories import make_song, make_user

OUTSIDE = ("admin:", "account_", "mfa_", "usersessions_", ":None", "None")
"""Addresses of Django's admin and of allauth, which have their own tests; the admin is for staff alone."""


def routes(resolver: URLResolver, space: str = "", before: str = "") -> dict[str, str]:
    """Return the route of every address by its name."""
    found: dict[str, str] = {}
    for pattern in resolver.url_patterns:
        route = before + str(pattern.pattern)
        if isinstance(pattern, URLResolver):
            found |= routes(pattern, f"{space}{pattern.namespace}:" if pattern.namespace else space, route)
        elif isinstance(pattern, URLPattern):
            found[f"{space}{pattern.name}"] = route
    return found


ROUTES = {name: route for name, route in routes(get_resolver()).items() if not name.startswith(OUTSIDE)}


@pytest.fixture
def people(db) -> dict[str, Client]:
    """A browser for each role."""
    owner = make_user("owner")
    song = make_song(owner)
    clients = {ANYBODY: Client(raise_request_exception=False)}
    for role in (ACCOUNT, LISTENER, EDITOR, OWNER):
        user = owner if role == OWNER else make_user(role)
        if role in (LISTENER, EDITOR):
            Membership.objects.create(song=song, user=user, role=role)
        clients[role] = Client(raise_request_exception=False)
        clients[role].force_login(user)
    return clients


def address(row: Row) -> str:
    """Return an address in the one song there is, with parts that it has where it has them."""
    song = Song.objects.order_by("pk")[0]
    job, _ = PrintJob.objects.get_or_create(song=song, revision=song.head, state=PrintJob.State.DONE)
    version = song.versions.first() or keep_version(song, 1, "First")
    upload, _ = Upload.objects.get_or_create(owner=song.owner, song=song, name="a.wav", size=1, modified=1)
    values = {
        "song_id": song.pk, "upload_id": upload.pk, "version_id": version.pk, "job_id": job.pk, "revision": 1, "index": 0,
        "key": "x" * 64 if "segments" in ROUTES[row.name] else "voice", "lane": "dry", "name": "main.wav", "number": 1, "kind": "midi",
        "preset_id": 1, "member_id": 1, "link_id": 1, "comment_id": 1, "print_id": 1, "token": "unknown",
    }  # fmt: skip
    route = re.sub(r"\(\?P<(\w+)>[^)]*\)", r"<\1>", ROUTES[row.name]).strip("^$")
    return "/" + re.sub(r"<(?:\w+:)?(\w+)>", lambda match: str(values[match[1]]), route)


def test_the_table_has_every_address_once() -> None:
    assert sorted(row.name for row in TABLE) == sorted(ROUTES), "a new address needs a row in tests/trust/rights.py"


def test_the_document_shows_the_table() -> None:
    shown = DOCUMENT.read_text().partition(BEGIN)[2].partition(END)[0]
    assert shown == as_markdown(), "run python -m tests.trust.rights"


def test_each_role_may_do_what_the_table_says(people, monkeypatch) -> None:
    asked: list[str] = []
    for right in ("viewable_by", "editable_by", "owned_by", "deleted_by"):
        monkeypatch.setattr(SongQuerySet, right, _noted(getattr(SongQuerySet, right), right, asked))
    wrong = [fault for row in TABLE if LINK not in (row.read, row.write) for fault in _faults(row, people, asked)]
    assert not wrong, "\n".join(wrong)


def _faults(row: Row, people: dict[str, Client], asked: list[str]) -> Iterator[str]:
    """Yield what is answered otherwise than a row says."""
    where = address(row)
    for needed, method in ((row.read, "get"), (row.write, "post")):
        for role in sorted(RANK, key=RANK.__getitem__):
            asked.clear()
            if needed is not None and RANK[role] >= RANK[needed] and method == "post":
                continue  # what may be written is written by the tests of each screen
            code = getattr(people[role], method)(where).status_code
            if needed is None:
                is_right = code in (405, 302, 403, 404)
            elif RANK[role] < RANK[needed]:
                is_right = code == (302 if role == ANYBODY else 403 if _sees(row, role) else 404)
                is_right &= role == ANYBODY or bool(asked) or "song_id" not in ROUTES[row.name]
            else:
                is_right = code not in (302, 403, 405, 500)
            if not is_right:
                yield f"{role}, {method} {where}: {code}; rights asked for: {asked}"


def _noted(work, name: str, asked: list[str]):
    def noting(self, user):
        asked.append(name)
        return work(self, user)

    return noting


def _sees(row: Row, role: str) -> bool:
    """Whether a role knows that the song is there; what is deleted is there for its owner alone."""
    return RANK[role] >= RANK[LISTENER] and row.name not in ("songs:bring-back", "songs:delete-now")


@pytest.mark.parametrize("role", [LISTENER, EDITOR, OWNER])
def test_what_a_role_may_write_it_may(role: str, people) -> None:
    for row in TABLE:
        if row.write in RANK and RANK[ACCOUNT] < RANK[row.write] <= RANK[role] and "delete" not in row.name:
            answer = people[role].post(address(row), {"revision": "1"})
            assert answer.status_code not in (302, 403, 405, 500), f"{role}, {row.name}: {answer.status_code}"


# links


@pytest.fixture
def link(people) -> tuple[ListeningLink, str]:
    song = Song.objects.get()
    return make_link(song, song.owner, "Client", 7, [keep_version(song, 1, "Drier")], [])


def test_whoever_has_a_link_may_hear_and_comment_and_nothing_else(link, people) -> None:
    row, token = link
    guest = people[ANYBODY]
    assert guest.get(f"/listen/{token}/").status_code == 200
    said = {"name": "Kit", "at": "2|1", "text": "drier here"}
    assert guest.post(f"/listen/{token}/comments/", said).status_code == 200
    assert guest.get(f"/listen/{token}/{row.prints.get().pk}/sound/").status_code == 404, "it is not printed yet"
    for each in TABLE:
        if LINK not in (each.read, each.write) and each.read not in (None, ANYBODY):
            assert guest.get(address(each)).status_code in (302, 404), each.name


@pytest.mark.parametrize("why", ["revoked", "over", "deleted song", "other token"])
def test_a_link_that_is_closed_opens_nothing(why: str, link, people) -> None:
    row, token = link
    match why:
        case "revoked":
            revoke(row)
        case "over":
            ListeningLink.objects.update(expires=timezone.now() - timedelta(seconds=1))
        case "deleted song":
            Song.objects.update(deleted=timezone.now())
        case _:
            token = token[:-1] + ("A" if token[-1] != "A" else "B")
    assert open_link(token) is None
    for client in people.values():
        assert client.get(f"/listen/{token}/").status_code == 404
        assert client.get(f"/listen/{token}/{row.prints.get().pk}/sound/").status_code == 404
        assert client.post(f"/listen/{token}/comments/", {"name": "Kit", "at": "1|1", "text": "x"}).status_code == 404


def test_the_token_is_kept_nowhere(link) -> None:
    row, token = link
    assert token not in {str(value) for value in ListeningLink.objects.filter(pk=row.pk).values().get().values()}
