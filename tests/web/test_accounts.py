"""The door: in with the right words, out again, and nothing given away."""

import pytest
from django.urls import reverse

from tests.web.factories import make_user

SIGN_IN = "/accounts/sign-in/"


@pytest.fixture
def ada(db):
    return make_user()


def test_the_right_name_and_password_open_the_door(client, ada) -> None:
    response = client.post(SIGN_IN, {"username": "ada", "password": "a long secret"})
    assert response.url == reverse("songs:show")
    assert client.get(response.url).status_code == 200


@pytest.mark.parametrize(("name", "password"), [("ada", "wrong"), ("nobody", "a long secret")])
def test_a_wrong_name_and_a_wrong_password_sound_the_same(client, ada, name: str, password: str) -> None:
    page = client.post(SIGN_IN, {"username": name, "password": password}).content.decode()
    assert "Name and password do not match. Check both and try again." in page
    assert f'value="{name}"' in page
    assert password not in page


def test_after_signing_in_one_is_where_one_wanted_to_be(client, ada) -> None:
    response = client.post(SIGN_IN, {"username": "ada", "password": "a long secret", "next": "/songs/1/sends/"})
    assert response.url == "/songs/1/sends/"


def test_the_door_leads_nowhere_else(client, ada) -> None:
    response = client.post(SIGN_IN, {"username": "ada", "password": "a long secret", "next": "https://example.com/"})
    assert response.url == reverse("songs:show")


def test_signing_out_closes_the_door(client, ada) -> None:
    client.force_login(ada)
    assert client.post(reverse("accounts:sign-out")).url.startswith(SIGN_IN)
    assert client.get(reverse("songs:show")).status_code == 302


def test_an_edit_without_a_token_is_refused(ada) -> None:
    from django.test import Client

    client = Client(enforce_csrf_checks=True)
    client.force_login(ada)
    assert client.post(reverse("songs:new-song"), {"title": "x"}).status_code == 403
