"""Sharing a song: people and their roles, links with prints made for them, comments at a bar and beat, who changed what."""

from datetime import timedelta
from html import unescape

import pytest
from django.urls import reverse
from django.utils import timezone

from hallweb.handoff import shares
from hallweb.handoff.models import PrintJob
from hallweb.handoff.removal import remove_old_prints
from hallweb.sharing.actions import make_link
from hallweb.sharing.models import Comment, ListeningLink
from hallweb.songs.models import Membership, Song
from hallweb.songs.versions import keep_version
from tests.web.factories import make_user, shown


def do(client, song: Song, name: str, /, *extra: int, **said):
    return client.post(reverse(f"sharing:{name}", args=[song.pk, *extra]), said)


@pytest.fixture
def listener(song):
    user = make_user("lis")
    Membership.objects.create(song=song, user=user, role=Membership.Role.LISTENER)
    return user


@pytest.fixture
def linked(song) -> tuple[ListeningLink, str]:
    """A link to one version, printed."""
    link, token = make_link(song, song.owner, "Client", 7, [keep_version(song, 1, "Drier")], [])
    shares.run_print(link.prints.get().job_id)
    return link, token


def test_an_account_gets_a_role_by_name_or_mail_and_another_one_later(signed_in, song) -> None:
    user = make_user("bo")
    user.email = "bo@example.org"
    user.save()
    assert do(signed_in, song, "add-person", name="bo", role="listener").status_code == 200
    page = shown(do(signed_in, song, "add-person", name="Bo@Example.org", role="editor"))
    assert "bo</b> <span>Editor" in page
    assert Membership.objects.get().role == "editor"
    do(signed_in, song, "remove-person", Membership.objects.get().pk)
    assert not Membership.objects.exists()


@pytest.mark.parametrize(
    ("name", "sentence"),
    [
        ("nobody", 'There is no account "nobody" here'),
        ("ada", "This song is owned by ada already."),
        ("", "There is no account"),
    ],
)
def test_who_cannot_be_given_a_role_is_said(signed_in, song, name: str, sentence: str) -> None:
    answer = do(signed_in, song, "add-person", name=name, role="editor")
    assert answer.status_code == 422
    assert sentence in unescape(answer.content.decode())


def test_a_listener_finds_the_song_in_their_list_and_is_told_that_they_only_listen(client, song, listener) -> None:
    client.force_login(listener)
    assert song.title in shown(client.get("/"))
    page = shown(client.get(reverse("returns:show", args=[song.pk])))
    assert "You listen only" in page
    edit = client.post(
        reverse("sends:set-send", args=[song.pk]), {"revision": 1}, headers={"HX-Request": "true"}
    )  # fmt: skip
    assert edit.status_code == 403
    assert "You may listen to this song, not change it." in edit.content.decode()
    assert edit["HX-Retarget"] == "#notices"


def test_an_edit_has_its_author_in_the_history(client, song) -> None:
    editor = make_user("ed")
    Membership.objects.create(song=song, user=editor, role=Membership.Role.EDITOR)
    client.force_login(editor)
    rename = {"title": "Other"}
    assert client.post(reverse("songs:rename", args=[song.pk]), rename).status_code == 200
    song.refresh_from_db()
    assert [revision.author for revision in song.revisions.all()] == [song.owner, editor]
    assert "ed," in shown(client.get(reverse("sharing:show", args=[song.pk])))


def test_a_link_to_a_version_prints_it_and_lets_it_be_heard(client, signed_in, song, linked) -> None:
    link, token = linked
    client.logout()
    page = shown(client.get(f"/listen/{token}/"))
    assert "Drier" in page
    assert "Verse" in page
    job = link.prints.get().job
    assert (job.options["format"], job.options["parts"]) == ("flac", ["main"])
    sound = client.get(f"/listen/{token}/{link.prints.get().pk}/sound/")
    assert sound["Content-Type"] == "audio/flac"
    assert b"".join(sound.streaming_content)[:4] == b"fLaC"


def test_prints_of_a_link_are_as_loud_as_the_quietest(client, song, linked) -> None:
    link, token = linked
    louder = PrintJob.objects.get(pk=link.prints.get().job_id)
    lufs = louder.files[0]["lufs"]
    louder.pk, louder.files = None, [{**louder.files[0], "lufs": lufs + 4}]
    louder.save()
    link.prints.create(job=louder, name="Louder")
    page = client.get(f"/listen/{token}/").content.decode()
    assert 'data-gain-db="0.00"' in page
    assert 'data-gain-db="-4.00"' in page


def test_the_address_of_a_new_link_is_shown_once(signed_in, song) -> None:
    version = keep_version(song, 1, "Drier")
    answer = do(signed_in, song, "add-link", name="Label", days="3", version=str(version.pk))
    address = answer.content.decode().partition('value="http://testserver')[2].partition('"')[0]
    assert address.startswith("/listen/")
    assert address not in signed_in.get(reverse("sharing:show", args=[song.pk])).content.decode()
    link = ListeningLink.objects.get()
    assert timedelta(days=2.9) < link.expires - timezone.now() < timedelta(days=3.1)
    assert signed_in.get(address).status_code == 200
    do(signed_in, song, "revoke-link", link.pk)
    assert signed_in.get(address).status_code == 404


@pytest.mark.parametrize(
    ("said", "sentence"),
    [
        ({}, "Nothing is chosen to be heard; choose a version or a print."),
        ({"days": "0", "version": "1"}, "A link is open for 1 to 365 days."),
        ({"days": "9999", "version": "1"}, "A link is open for 1 to 365 days."),
    ],
)
def test_a_link_that_cannot_be_made_is_said(signed_in, song, said, sentence: str) -> None:
    version = keep_version(song, 1, "Drier")
    said = {**said, **({"version": version.pk} if "version" in said else {})}
    answer = do(signed_in, song, "add-link", **said)
    assert answer.status_code == 422
    assert sentence in answer.content.decode()
    assert not ListeningLink.objects.exists()


def test_a_print_that_an_open_link_lets_hear_outlives_its_time(song, linked) -> None:
    PrintJob.objects.update(created=timezone.now() - timedelta(days=60))
    remove_old_prints()
    assert PrintJob.objects.count() == 1
    ListeningLink.objects.update(revoked=timezone.now())
    remove_old_prints()
    assert not PrintJob.objects.exists()


def test_comments_of_a_guest_are_read_by_the_owner_at_their_place(client, song, linked) -> None:
    _, token = linked
    said = {"name": "Kit", "at": "3|2", "text": "<b>too wet</b>", "heard": "Drier"}
    assert "too wet" in client.post(f"/listen/{token}/comments/", said).content.decode()
    client.force_login(song.owner)
    page = client.get(reverse("sharing:show", args=[song.pk])).content.decode()
    assert "&lt;b&gt;too wet" in page
    assert f'data-go-to="{4 * 48000 + 24000}"' in page
    row = Comment.objects.get()
    assert "Open again" in do(client, song, "mark-done", row.pk).content.decode()
    do(client, song, "remove-comment", row.pk)
    assert not Comment.objects.exists()


@pytest.mark.parametrize(
    ("said", "sentence"),
    [
        ({"name": "", "at": "1|1", "text": "x"}, "A comment needs a name and some words."),
        ({"name": "Kit", "at": "somewhere", "text": "x"}, 'Expected a position "BAR|BEAT"'),
        ({"name": "Kit", "at": "99|1", "text": "x"}, "99|1 is not in the song, which ends at 5|1."),
    ],
)
def test_a_comment_that_says_nothing_or_is_nowhere_is_refused(client, song, linked, said, sentence: str) -> None:
    answer = client.post(f"/listen/{linked[1]}/comments/", said)
    assert answer.status_code == 422
    assert sentence in unescape(answer.content.decode())


def test_a_link_takes_so_many_comments_in_a_minute(client, song, linked, settings) -> None:
    settings.COMMENTS_A_MINUTE = 2
    said = {"name": "Kit", "at": "1|1", "text": "x"}
    codes = [client.post(f"/listen/{linked[1]}/comments/", said).status_code for _ in range(3)]
    assert codes == [200, 200, 429]


def test_a_listener_may_comment(client, song, listener) -> None:
    client.force_login(listener)
    assert "drier here" in do(client, song, "add-comment", at="2|1", text="drier here").content.decode()
    assert Comment.objects.get().author == listener


@pytest.mark.parametrize(("view", "words"), [("sharing", "Listening links"), ("hand-off", "Recall sheet")])
def test_undo_leaves_one_on_the_screen_where_one_is(signed_in, song, view: str, words: str) -> None:
    signed_in.post(reverse("songs:rename", args=[song.pk]), {"title": "Other"})
    page = signed_in.post(reverse("history:undo", args=[song.pk]), {"revision": 2, "view": view}).content.decode()
    assert words in page
