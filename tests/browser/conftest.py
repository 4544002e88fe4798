"""A real browser against the real application, on a song of noise."""

import os
from unittest import mock

import pytest
from django.conf import settings
from django.test.testcases import QuietWSGIRequestHandler
from django.urls import reverse
from playwright.sync_api import expect, sync_playwright
from pytest_django.live_server_helper import LiveServer

from tests.browser.listening import wait_until
from tests.sessions import end_other_sessions
from tests.web.factories import make_song, make_user

# Playwright's own event loop makes Django take this thread for an asynchronous one.
os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"

ARGUMENTS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-sync",
    "--disable-background-networking", "--disable-component-update",
    "--autoplay-policy=no-user-gesture-required",
]  # fmt: skip


@pytest.fixture(scope="session", autouse=True)
def _no_sessions_left(django_db_setup, django_db_blocker):
    """A page that is closed may leave the server at work; its session would keep the test database from going."""
    yield
    with django_db_blocker.unblock():
        end_other_sessions()


@pytest.fixture(scope="session")
def live_server():
    """Return a server that answers as those of ours do: static files come from WhiteNoise, and no answer waits 40 ms for an
    acknowledgement of its head (Nagle's algorithm, which Django's own server leaves on).
    """
    QuietWSGIRequestHandler.disable_nagle_algorithm = True
    with mock.patch("django.contrib.staticfiles.handlers.StaticFilesHandler", lambda application: application):
        server = LiveServer("localhost")
    yield server
    server.stop()


@pytest.fixture(scope="session")
def browser():
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=ARGUMENTS)
        yield browser
        browser.close()


NO_FAULT = ("409", "422", "htmx:sendAbort", "htmx:afterRequest")
"""Answers of 409 and 422 are refusals; a question that a later one replaces is aborted (one that fails is a sendError)."""


@pytest.fixture
def song(transactional_db):
    return make_song(make_user())


@pytest.fixture
def context(browser, live_server, song):
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=live_server.url)
    context.set_default_timeout(40_000)
    expect.set_options(timeout=40_000)
    yield context
    context.close()


@pytest.fixture
def faults() -> list[str]:
    """What went wrong on the page; a test that provokes a fault takes it out."""
    return []


@pytest.fixture
def page(context, faults):
    """Return a page on which any script error, refused request or violated policy fails the test."""
    page = context.new_page()
    page.on("pageerror", lambda error: faults.append(str(error.stack or error)))
    page.on(
        "console",
        lambda message: faults.append(f"{message.text} {message.location['url']}") if message.type == "error" else None,
    )
    page.on(
        "response",
        lambda response: faults.append(f"{response.status} {response.url}") if response.status >= 500 else None,
    )
    yield page
    assert [fault for fault in faults if not any(word in fault for word in NO_FAULT)] == []


@pytest.fixture
def desk(page, song, client, live_server):
    """Return the page, signed in, on the song's Returns screen; the way there by hand is a journey of its own."""
    client.force_login(song.owner)
    cookie = client.cookies[settings.SESSION_COOKIE_NAME]
    page.context.add_cookies([{"name": cookie.key, "value": cookie.value, "url": live_server.url}])
    page.goto(reverse("returns:show", args=[song.pk]))
    expect(page.get_by_role("heading", name="Returns")).to_be_visible()
    wait_until(page, "Boolean(window.highHall?.player.manifest)")
    return page
