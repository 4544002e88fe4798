"""Two people who write one song at once: what is different stands, what is the same is told."""

import itertools
import re

import pytest
from django.test import Client
from django.urls import reverse

from hallweb.songs.models import Membership, Revision
from tests.web.at_once import in_threads
from tests.web.factories import large_song, make_user, stored_plan

pytestmark = [pytest.mark.slow, pytest.mark.django_db(transaction=True)]

EDITS = 200


@pytest.fixture
def writers():
    """A song with many sends, and the browsers of its owner and an editor."""
    owner, editor = make_user("one"), make_user("two")
    song = large_song(owner, tracks=40, returns=12)
    Membership.objects.create(song=song, user=editor, role=Membership.Role.EDITOR)
    clients = []
    for user in (owner, editor):
        clients.append(Client())
        clients[-1].force_login(user)
    return song, clients


def set_level(client: Client, song, base: int, send, level: float):
    said = {"revision": base, "source": send.source, "target": send.target, "field": "level", "value": f"{level:.2f}"}
    return client.post(reverse("sends:set-send", args=[song.pk]), said, headers={"HX-Request": "true"})


def test_of_two_writers_every_edit_of_another_send_stands_without_a_reload(writers) -> None:
    song, clients = writers
    sends = stored_plan(song).sends
    base = song.revisions.latest("number").number
    wanted: dict[tuple[str, str], float] = {}

    def write(number: int) -> list[int]:
        own, seen, codes = itertools.cycle(sends[number::2]), base, []
        for count in range(EDITS):
            send, level = next(own), -40.0 + (count % 300) / 10 + number / 20
            answer = set_level(clients[number], song, seen, send, level)
            codes.append(answer.status_code)
            wanted[send.source, send.target] = level
            if told := re.search(r'name="revision" value="(\d+)"', answer.content.decode()):
                seen = int(told[1])  # as the page has it from then on
        return codes

    codes = in_threads(2, write)
    assert [set(each) for each in codes] == [{200}, {200}], "an edit of another send was refused"
    plan = stored_plan(song)
    for number in range(2):
        for send in sends[number::2][:EDITS]:
            kept = plan.send(send.source, send.target)
            assert kept is not None
            assert kept.level_db == pytest.approx(wanted[send.source, send.target])
    authors = set(Revision.objects.filter(song=song, number__gt=base).values_list("author__username", flat=True))
    assert authors == {"one", "two"}


def test_of_two_writers_of_one_send_the_second_is_told_what_it_is_now(writers) -> None:
    song, (first, second) = writers
    send = stored_plan(song).sends[0]
    base = song.revisions.latest("number").number
    assert set_level(first, song, base, send, -7.0).status_code in (200, 204)
    answer = set_level(second, song, base, send, -9.0)
    assert answer.status_code == 409
    assert "-7" in answer.content.decode().replace("−", "-")
    assert stored_plan(song).sends[0].level_db == -7.0
