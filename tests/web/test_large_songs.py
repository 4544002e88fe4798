"""A large song, 40 tracks and 12 returns: how many queries the Returns screen and its edits take."""

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from hallweb.screens.returns.drawers import DRAWERS
from hallweb.songs.models import Song
from tests.web.factories import large_song


def edit(client, song: Song, name: str, *extra: str, **fields: str):
    song.refresh_from_db()
    values = {"revision": song.head.number, **fields}
    return client.post(reverse(name, args=[song.pk, *extra]), values, headers={"HX-Request": "true"})


EDITS = [
    ("returns:set-return", ["hall"], {"path": "effect/reverb/decay_s", "value": "2.2"}),
    ("returns:preview-return", ["hall"], {"path": "effect/reverb/decay_s", "value": "2.2"}),
    ("returns:try-start", ["hall"], {"start": "nave"}),
    ("returns:feed-on", ["hall"], {"to": "space-3"}),
    ("returns:change-return", ["hall"], {"change": "duplicate"}),
    ("returns:set-group", ["band"], {"path": "filter/band/0/hz", "value": "5000"}),
]


@pytest.mark.parametrize(("name", "extra", "fields"), EDITS)
def test_an_edit_takes_as_many_queries_whatever_the_songs_size(
    signed_in, user, name: str, extra: list[str], fields: dict[str, str]
) -> None:
    counts = []
    for tracks, returns in ((3, 6), (40, 12)):
        song = large_song(user, tracks=tracks, returns=returns)
        with CaptureQueriesContext(connection) as queries:
            assert edit(signed_in, song, name, *extra, **fields).status_code == 200
        counts.append(len(queries))
    assert counts[0] == counts[1]
    assert counts[1] <= 18  # session, user, whose song, what the test reads, the edit itself, news of it, what is shown


@pytest.mark.parametrize("drawer", ["", *DRAWERS])
def test_a_strip_takes_few_queries_with_any_drawer(signed_in, user, drawer: str, django_assert_max_num_queries) -> None:
    song = large_song(user)
    with django_assert_max_num_queries(12):
        answer = signed_in.get(reverse("returns:strip", args=[song.pk, "hall"]), {"drawer": drawer})
    assert answer.status_code == 200
    assert ('class="drawer"' in answer.content.decode()) == bool(drawer)
