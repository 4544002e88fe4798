"""A large song, 40 tracks and 12 returns: how many queries the Returns screen and its edits take."""

import pytest
from django.urls import reverse

from hallweb.songs.actions import edit_plan
from hallweb.songs.models import Song
from highhall.plan.edits import add_return, set_send, step_of_kind
from tests.web.factories import make_song


def large_song(user, *, tracks: int = 40, returns: int = 12) -> Song:
    song = make_song(user, tracks=tracks)

    def fill(plan):
        for number in range(returns - 2):
            space = step_of_kind("reverb", "space", {"space": "hall", "decay_s": 1.0 + number / 10})
            tone = step_of_kind(
                "tone", "tone", {"bands": [{"shape": "low_cut", "hz": 200}, {"shape": "bell", "hz": 900}]}
            )
            plan, key = add_return(plan, f"Space {number}", (space, tone))
            for track in plan.tracks[number::3]:
                plan = set_send(plan, track.id, key, level_db=-12.0)
        return plan

    edit_plan(song.pk, song.head.number, "Fill", fill)
    song.refresh_from_db()
    return song


def edit(client, song: Song, name: str, *extra: str, **fields: str):
    song.refresh_from_db()
    values = {"revision": song.head.number, **fields}
    return client.post(reverse(name, args=[song.pk, *extra]), values, headers={"HX-Request": "true"})


EDITS = [
    ("desk:set-return", ["hall"], {"path": "step/reverb/decay_s", "value": "2.2"}),
    ("desk:preview-return", ["hall"], {"path": "step/reverb/decay_s", "value": "2.2"}),
    ("desk:try-start", ["hall"], {"start": "nave"}),
    ("desk:feed-on", ["hall"], {"to": "space-3"}),
    ("desk:change-return", ["hall"], {"change": "duplicate"}),
    ("desk:set-group-tone", ["band"], {"path": "band/band/0/hz", "value": "5000"}),
]


@pytest.mark.parametrize(("name", "extra", "fields"), EDITS)
def test_an_edit_takes_as_many_queries_whatever_the_songs_size(
    signed_in, user, name: str, extra: list[str], fields: dict[str, str], django_assert_max_num_queries
) -> None:
    for tracks, returns in ((3, 3), (40, 12)):
        song = large_song(user, tracks=tracks, returns=max(returns, 6))
        with django_assert_max_num_queries(60 if name != "desk:preview-return" else 6):
            assert edit(signed_in, song, name, *extra, **fields).status_code == 200


@pytest.mark.parametrize("drawer", ["", "times", "fits", "onward", "starts", "keep"])
def test_a_band_takes_few_queries_with_any_drawer(signed_in, user, drawer: str, django_assert_max_num_queries) -> None:
    song = large_song(user)
    with django_assert_max_num_queries(12):
        answer = signed_in.get(reverse("desk:band", args=[song.pk, "hall"]), {"drawer": drawer})
    assert answer.status_code == 200
