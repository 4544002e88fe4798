import pytest

from tests.web.factories import make_song, make_user


@pytest.fixture
def user(db):
    return make_user()


@pytest.fixture
def song(user):
    return make_song(user)


@pytest.fixture
def signed_in(client, user):
    client.force_login(user)
    return client


@pytest.fixture
def stranger(db, client):
    client.force_login(make_user("mallory"))
    return client
