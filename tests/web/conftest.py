from concurrent.futures import Executor, Future

import pytest
from django.urls import reverse

from hallweb.audition import background
from hallweb.songs.models import Song
from tests.sessions import end_other_sessions
from tests.web.factories import make_song, make_user


@pytest.fixture(scope="session", autouse=True)
def _no_sessions_left(django_db_setup, django_db_blocker):
    """Processes and threads that tests started may leave sessions; they would keep the test database from going."""
    yield
    with django_db_blocker.unblock():
        end_other_sessions()


@pytest.fixture(autouse=True)
def data_folder(settings, tmp_path_factory):
    """Every test has a data folder of its own."""
    settings.DATA_DIR = tmp_path_factory.mktemp("data")
    return settings.DATA_DIR


class _AtOnce(Executor):
    """Does its work when it is given it."""

    def submit(self, work, /, *args, **more):
        done = Future()
        done.set_result(work(*args, **more))
        return done


@pytest.fixture(autouse=True)
def _measured_at_once(monkeypatch):
    """What is measured in the background is there when it is asked for again."""
    monkeypatch.setattr(background, "THREAD", _AtOnce())


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


@pytest.fixture
def empty_song(signed_in):
    """A song of the user's own, made as the user makes it: eight bars of 6/8, no tracks."""
    signed_in.post(reverse("songs:new-song"), {"title": "Fresh", "bpm": "58", "beat": "1/4.", "meter": "6/8"})
    return Song.objects.get(title="Fresh")
