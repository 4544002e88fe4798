"""The list of songs: found, sorted, named, copied, deleted and brought back; and nobody else's."""

import re
from datetime import timedelta

import pytest
from django.urls import reverse
from django.utils import timezone

from hallweb.handoff.models import PrintJob
from hallweb.screens.songs.silhouettes import height_of, minutes, scale_of, silhouette
from hallweb.songs import removal
from hallweb.songs.files import print_folder, song_folder
from hallweb.songs.models import Song, Stem
from hallweb.songs.revisions import newest_plan
from tests.web.factories import large_song, make_song, make_user, stored_plan


def page(client, **said):
    return client.get(reverse("songs:show"), said).content.decode()


def do(client, name, song, **said):
    return client.post(reverse(f"songs:{name}", args=[song.pk]), said)


def titles(text):
    return re.findall(r'class="song-name"[^>]*>([^<]*)<', text)


def test_who_has_no_song_is_told_how_to_begin(signed_in) -> None:
    text = page(signed_in)
    assert "No song yet" in text
    assert "Open the demo song" in text


def test_songs_are_found_by_title_and_by_instrument_and_sorted_by_each_head(signed_in, song, user) -> None:
    do(signed_in, "rename", song, title="Aster")
    big = large_song(user)
    do(signed_in, "rename", big, title="Briar")
    assert titles(page(signed_in, sort="title")) == ["Aster", "Briar"]
    assert titles(page(signed_in, sort="tracks")) == ["Briar", "Aster"]
    assert titles(page(signed_in, sort="changed")) == ["Briar", "Aster"]
    assert len(titles(page(signed_in, sort="length"))) == 2
    assert titles(page(signed_in, q="ast")) == ["Aster"]
    assert titles(page(signed_in, q="voice aster")) == ["Aster"]
    assert "No song has" in page(signed_in, q="zither")


def test_a_new_title_is_an_edit_and_an_impossible_one_is_refused(signed_in, song) -> None:
    assert "Test is called Aster now" in do(signed_in, "rename", song, title="Aster").content.decode()
    song.refresh_from_db()
    assert (song.title, song.head.number, stored_plan(song).song.title) == ("Aster", 2, "Aster")
    assert do(signed_in, "rename", song, title=" ").status_code == 422
    assert stored_plan(song).song.title == "Aster"


def test_a_copy_is_a_song_of_its_own_with_the_same_sound(signed_in, song) -> None:
    do(signed_in, "duplicate", song)
    do(signed_in, "duplicate", song)
    copy = Song.objects.get(title="Test copy")
    assert Song.objects.filter(title="Test copy 2").exists()
    assert newest_plan(copy).returns == newest_plan(song).returns
    stems = [list(Stem.objects.filter(song=each).values_list("path", "content_hash")) for each in (song, copy)]
    assert stems[0] == stems[1]
    for path, _ in stems[0]:
        assert (song_folder(copy.pk) / path).read_bytes() == (song_folder(song.pk) / path).read_bytes()
    removal.remove_for_good(song)
    assert all((song_folder(copy.pk) / path).exists() for path, _ in stems[0])


def test_a_deleted_song_is_nowhere_until_it_is_brought_back(signed_in, song) -> None:
    answer = do(signed_in, "delete", song).content.decode()
    assert "Bring it back" in answer
    assert "30\n            days" in answer
    assert titles(page(signed_in)) == []
    for name in ("song:show", "returns:show", "audition:manifest"):
        assert signed_in.get(reverse(name, args=[song.pk])).status_code == 404
    assert do(signed_in, "delete", song).status_code == 404
    do(signed_in, "bring-back", song)
    assert titles(page(signed_in)) == ["Test"]
    assert do(signed_in, "delete-now", song).status_code == 404, "only what is deleted can be removed"


def test_removing_a_song_leaves_no_file_and_no_row(signed_in, song, django_capture_on_commit_callbacks) -> None:
    job = PrintJob.objects.create(song=song, revision=song.head)
    print_folder(job.pk).mkdir(parents=True)
    do(signed_in, "delete", song)
    with django_capture_on_commit_callbacks(execute=True):
        do(signed_in, "delete-now", song)
    assert not Song.objects.exists()
    assert not PrintJob.objects.exists()
    assert not song_folder(song.pk).exists()
    assert not print_folder(job.pk).exists()


def test_songs_deleted_thirty_days_ago_are_removed_and_younger_ones_stay(user) -> None:
    old, young = make_song(user), make_song(user)
    for song, days in ((old, 31), (young, 29)):
        Song.objects.filter(pk=song.pk).update(deleted=timezone.now() - timedelta(days=days))
    removal.remove_long_deleted()
    assert list(Song.objects.all()) == [young]
    young.refresh_from_db()
    assert removal.days_left(young) == 1


@pytest.mark.parametrize("name", ["rename", "duplicate", "delete", "bring-back", "delete-now"])
def test_nobody_changes_another_users_songs(stranger, song, name) -> None:
    assert do(stranger, name, song, title="Mine").status_code == 404
    if name != "rename":
        removal.delete_song(song)
        assert do(stranger, name, song).status_code == 404
    assert Song.objects.filter(pk=song.pk, title="Test").exists()


def test_a_song_for_stems_takes_a_free_title_and_says_where_they_go(signed_in, song) -> None:
    told = signed_in.post(reverse("songs:new-for-stems"), {"title": "Test"}).json()
    made = Song.objects.get(title="Test 2")
    assert told["uploads"] == reverse("uploads:begin-stem", args=[made.pk])
    assert signed_in.post(reverse("songs:new-for-stems")).status_code == 200
    assert Song.objects.filter(title="New song").exists()


def test_a_silhouette_is_worked_out_once_for_a_revision(
    signed_in, song, monkeypatch, django_assert_max_num_queries
) -> None:
    address = reverse("songs:picture", args=[song.pk])
    with monkeypatch.context() as early:
        early.setattr("hallweb.audition.wetness.ready_model", lambda *_: None)
        assert "measuring" in signed_in.get(address).content.decode()
    drawn = signed_in.get(address).content.decode()
    assert "The farthest sound is" in drawn
    song.refresh_from_db()
    assert song.rooms_of == song.head_id
    assert [round(seconds, 3) for seconds, *_ in song.rooms] == [4.0, 4.0, 4.0, 4.0][: len(song.rooms)]
    with django_assert_max_num_queries(6):
        assert "The farthest sound is" in page(signed_in)


def test_the_list_takes_as_many_queries_whatever_its_length(signed_in, user, django_assert_max_num_queries) -> None:
    for _ in range(4):
        make_song(user)
    with django_assert_max_num_queries(6):
        assert len(titles(page(signed_in))) == 4


def test_a_doubled_distance_is_ten_pixels_higher_and_dry_is_the_floor() -> None:
    assert height_of(8.0) - height_of(4.0) == pytest.approx(10.0)
    assert height_of(None) == 0.0
    assert scale_of(120) == 1.0
    assert scale_of(600) == 0.5
    assert [text for _, text in minutes(0.5)] == ["0", "2:00", "4:00", "6:00", "8:00", "10:00"]
    assert silhouette([], 1.0).is_dry


def test_a_stranger_sees_no_silhouette(stranger, song) -> None:
    assert stranger.get(reverse("songs:picture", args=[song.pk])).status_code == 404
    assert titles(page(stranger)) == []
    make_song(make_user("bea"))
    assert titles(page(stranger)) == []
