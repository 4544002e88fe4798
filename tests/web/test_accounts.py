"""The door: in with the right words, out again, by invitation, and nothing given away; and what an account can do for itself."""

import base64
import hmac
import json
import logging
import re
import time

import pytest
from django.contrib.auth.models import User
from django.core import mail
from django.core.cache import cache
from django.core.management import CommandError, call_command
from django.urls import reverse
from django.utils import timezone

from hallweb.accounts.invitations import invite
from hallweb.accounts.models import Invitation
from hallweb.log_lines import JsonLines
from tests.web.factories import make_user, shown

SIGN_IN = "/accounts/login/"
WORDS = "correct horse staple"


@pytest.fixture(autouse=True)
def _nobody_tried_yet():
    cache.clear()


@pytest.fixture
def ada(db):
    user = make_user()
    user.email = "ada@example.org"
    user.save()
    return user


def enter(client, name: str, password: str, **more: str):
    return client.post(SIGN_IN, {"login": name, "password": password, **more})


@pytest.mark.parametrize("name", ["ada", "ada@example.org"])
def test_name_or_mail_and_password_open_the_door(client, ada, name: str) -> None:
    response = enter(client, name, "a long secret")
    assert response.url == reverse("songs:show")
    assert client.get(response.url).status_code == 200


@pytest.mark.parametrize(("name", "password"), [("ada", "wrong"), ("nobody", "a long secret")])
def test_a_wrong_name_and_a_wrong_password_sound_the_same(client, ada, name: str, password: str) -> None:
    page = enter(client, name, password).content.decode()
    assert "Name and password do not match. Check both and try again." in page
    assert f'value="{name}"' in page
    assert password not in page


def test_after_five_wrong_passwords_the_right_one_waits_too(client, ada, monkeypatch) -> None:
    for _ in range(5):
        enter(client, "ada", "wrong")
    hashed: list[str] = []
    monkeypatch.setattr(User, "check_password", lambda self, password: hashed.append(password) or True)
    assert "Too many wrong passwords. Wait five minutes" in enter(client, "ada", "a long secret").content.decode()
    assert hashed == [], "what is refused costs no time"


def test_after_signing_in_one_is_where_one_wanted_to_be_and_nowhere_else(client, ada) -> None:
    assert enter(client, "ada", "a long secret", next="/songs/1/sends/").url == "/songs/1/sends/"
    client.logout()
    assert enter(client, "ada", "a long secret", next="https://example.com/").url == reverse("songs:show")


def test_signing_out_closes_the_door(client, ada) -> None:
    client.force_login(ada)
    assert client.post(reverse("account_logout")).url.startswith(SIGN_IN)
    assert client.get(reverse("songs:show")).status_code == 302


def test_an_edit_without_a_token_is_refused_in_a_sentence(ada) -> None:
    from django.test import Client

    client = Client(enforce_csrf_checks=True)
    client.force_login(ada)
    answer = client.post(reverse("songs:new-song"), {"title": "x"})
    assert answer.status_code == 403
    assert "This page is too old, or its cookies are off." in answer.content.decode()


def test_without_an_invitation_nobody_makes_an_account(client, db) -> None:
    said = {"username": "eve", "email": "eve@example.org", "password1": WORDS, "password2": WORDS}
    assert "An account here is made by invitation." in client.post("/accounts/signup/", said).content.decode()
    assert not User.objects.exists()


def test_an_invitation_makes_one_account(client, db) -> None:
    address = invite("kit@example.org", "http://testserver")
    assert address in mail.outbox[0].body
    assert client.get(address).url == "/accounts/signup/"
    said = {"username": "kit", "email": "kit@example.org", "password1": WORDS, "password2": WORDS}
    assert client.post("/accounts/signup/", said).url == reverse("songs:show")
    assert Invitation.objects.get().account == User.objects.get(username="kit")
    client.logout()
    assert client.get(address).status_code == 404
    assert "by invitation" in client.get("/accounts/signup/").content.decode()


def test_an_invitation_that_is_over_opens_nothing(client, db) -> None:
    address = invite("kit@example.org", "http://testserver")
    Invitation.objects.update(expires=timezone.now())
    assert client.get(address).status_code == 404


def test_the_operator_invites_by_command(db, capsys) -> None:
    call_command("invite", "kit@example.org", "--site", "https://hall.example/")
    assert re.fullmatch(r"https://hall.example/accounts/join/[\w-]{32}/\n", capsys.readouterr().out)
    with pytest.raises(CommandError, match='"kit" is not an e-mail address'):
        call_command("invite", "kit")


@pytest.mark.parametrize(
    ("words", "sentence"),
    [("short", "at least 8 characters"), ("password1", "too common"), ("6345892345", "entirely numeric")],
)
def test_a_weak_password_is_refused_with_the_reason(client, ada, words: str, sentence: str) -> None:
    client.force_login(ada)
    said = {"oldpassword": "a long secret", "password1": words, "password2": words}
    assert sentence in shown(client.post(reverse("account_change_password"), said))


def test_a_password_is_changed(client, ada) -> None:
    client.force_login(ada)
    said = {"oldpassword": "a long secret", "password1": WORDS, "password2": WORDS}
    assert client.post(reverse("account_change_password"), said).status_code == 302
    client.logout()
    assert enter(client, "ada", WORDS).status_code == 302


def test_a_forgotten_password_is_set_anew_by_mail(client, ada) -> None:
    client.post(reverse("account_reset_password"), {"email": "ada@example.org"})
    link = re.search(r"http://testserver(/accounts/password/reset/key/\S+)", mail.outbox[0].body)
    assert link
    form = client.get(link[1], follow=True)
    client.post(form.redirect_chain[-1][0], {"password1": WORDS, "password2": WORDS})
    assert enter(client, "ada", WORDS).status_code == 302


def test_a_stranger_does_not_learn_whether_there_is_an_account(client, ada) -> None:
    answers = [
        client.post(reverse("account_reset_password"), {"email": email}).url
        for email in ("ada@example.org", "nobody@example.org")
    ]
    assert answers[0] == answers[1]


def test_sessions_elsewhere_are_listed_and_signed_out(client, ada) -> None:
    from django.test import Client

    enter(client, "ada", "a long secret")
    other = Client()
    enter(other, "ada", "a long secret")
    page = shown(client.get(reverse("usersessions_list")))
    assert page.count("127.0.0.1") == 2
    client.post(reverse("usersessions_list"))
    assert client.get("/").status_code == 200
    assert other.get("/").status_code == 302


@pytest.mark.parametrize("name", ["account_email", "mfa_index", "account_reset_password"])
def test_the_pages_of_an_account_are_shown(client, ada, name: str) -> None:
    enter(client, "ada", "a long secret")
    answer = client.get(reverse(name))
    assert answer.status_code == 200, answer.url
    page = answer.content.decode()
    assert "High Hall" in page
    assert "door-form" in page


def test_with_a_second_factor_the_password_alone_does_not_open_the_door(client, ada, settings) -> None:
    settings.MFA_TOTP_TOLERANCE = 1  # whenever the code changes
    enter(client, "ada", "a long secret")
    activate = reverse("mfa_activate_totp")
    client.post(f"{reverse('account_reauthenticate')}?next={activate}", {"password": "a long secret"})
    page = client.get(activate).content.decode()
    secret = re.search(r'value="([A-Z2-7]{32})"', page)
    assert secret
    assert client.post(activate, {"code": code_of(secret[1])}).status_code == 302
    client.logout()
    assert enter(client, "ada", "a long secret").url == reverse("mfa_authenticate")
    assert client.get("/").status_code == 302
    cache.clear()  # a code is taken once
    assert client.post(reverse("mfa_authenticate"), {"code": code_of(secret[1])}).url == "/"
    assert client.get("/").status_code == 200


def code_of(secret: str) -> str:
    """Return the code that an authenticator shows now (RFC 6238: SHA-1, 30 s, six digits), by hand."""
    counter = int(time.time()) // 30
    digest = hmac.digest(base64.b32decode(secret), counter.to_bytes(8, "big"), "sha1")
    start = digest[-1] & 15
    number = int.from_bytes(digest[start : start + 4], "big") & 0x7FFFFFFF
    return f"{number % 10**6:06}"


def test_the_admin_is_for_staff(client, ada) -> None:
    client.force_login(ada)
    assert client.get("/operator/").status_code == 302
    ada.is_staff = ada.is_superuser = True
    ada.save()
    assert client.get("/operator/").status_code == 200


def test_where_others_can_reach_it_the_demo_has_a_password_of_its_own(db, settings, monkeypatch) -> None:
    from hallweb.screens.songs.management.commands import make_demo

    monkeypatch.setattr(make_demo, "create_demo_song", lambda *_: pytest.skip("made already"))
    user = User.objects.create_user("demo", password=settings.DEMO_PASSWORD)
    settings.IS_LOOPBACK_ONLY = False
    password = make_demo._password_of(user)
    assert not user.check_password(settings.DEMO_PASSWORD)
    assert user.check_password(password)
    assert make_demo._password_of(user) is None, "it keeps that one"


@pytest.mark.parametrize("page", ["auth/user", "songs/song", "songs/upload", "handoff/printjob", "accounts/invitation"])
def test_an_operator_sees_users_songs_uploads_prints_and_invitations(client, song, page: str) -> None:
    User.objects.filter(pk=song.owner_id).update(is_staff=True, is_superuser=True)
    client.force_login(User.objects.get(pk=song.owner_id))
    assert client.get(f"/operator/{page}/").status_code == 200


def test_the_log_tells_who_came_in_and_no_password(client, ada, caplog) -> None:
    with caplog.at_level(logging.INFO, "hallweb.audit"):
        enter(client, "ada", "wrong words")
        enter(client, "ada", "a long secret")
    lines = [json.loads(JsonLines().format(record)) for record in caplog.records if record.name == "hallweb.audit"]
    assert [(line["words"], line["account"]) for line in lines] == [("refused to sign in", "ada"), ("signed in", "ada")]
    assert "wrong words" not in str(lines)


def test_tokens_in_addresses_do_not_reach_the_log() -> None:
    record = logging.makeLogRecord({"msg": "Not Found: /listen/abcDEF-123/", "name": "x", "levelname": "WARNING"})
    assert "abcDEF" not in JsonLines().format(record)


def test_whether_it_lives_and_can_work_is_told_to_anybody(client, db, settings, monkeypatch) -> None:
    assert client.get("/health/").json() == {"lives": True}
    assert client.get("/ready/").json() == {"database": True, "disk": True}
    monkeypatch.setattr("hallweb.screens.health._database_answers", lambda: False)
    assert client.get("/ready/").status_code == 503
