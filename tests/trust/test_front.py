"""The front as browsers meet it: by HTTPS, with prints and segments from the disk, and news for those alone who may hear the song."""

import http.client
import re
import ssl
import threading
import urllib.error
import urllib.request
from collections.abc import Iterator
from contextlib import closing, suppress
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import pytest
from django.conf import settings
from django.urls import reverse

from hallweb.handoff.models import PrintJob
from hallweb.handoff.printing import print_whole
from hallweb.songs.actions import edit_plan
from hallweb.songs.connections import own_connection
from highhall.plan.edits import rename_song
from tests.trust.certificates import certificate_in
from tests.web.factories import make_song, make_user
from tests.web.processes import Browser, Kept, environment, free_port, wait_for

pytestmark = [pytest.mark.slow, pytest.mark.django_db(transaction=True)]


@pytest.fixture
def started() -> Iterator[list[Kept]]:
    kept: list[Kept] = []
    yield kept
    for each in kept:
        each.end()


@pytest.fixture
def port(started) -> int:
    port = free_port()
    variables = environment(HH_PORT=str(port))
    started += [Kept(what, variables) for what in ("web", "sound", "news", "front")]
    return port


def test_prints_and_segments_come_from_the_disk_and_in_parts(port) -> None:
    user = make_user()
    song = make_song(user)
    state, options = PrintJob.State.RUNNING, {"kinds": ["main"]}
    job = PrintJob.objects.create(song=song, revision=song.head, author=user, options=options, state=state)
    print_whole(job)  # in this process, whoever else is alive
    job.refresh_from_db()
    browser, name = Browser(user, port), job.files[0]["path"]
    wait_for(browser.is_answered)
    printed = (Path(settings.DATA_DIR) / "prints" / str(job.pk) / name).read_bytes()
    address = reverse("handoff:download", args=[song.pk, job.pk, name])
    with browser.open(address) as answer:
        assert answer.headers["Accept-Ranges"] == "bytes"  # which no process of ours does
        assert answer.read() == printed
    assert browser.get(address, Range="bytes=100-199") == printed[100:200]
    with pytest.raises(urllib.error.HTTPError, match="404"):
        browser.get(f"/prints/{job.pk}/{name}")  # a place of the disk is no address
    with pytest.raises(urllib.error.HTTPError, match="404"):
        Browser(make_user("mallory"), port).get(address)


def test_news_reach_those_who_may_hear_the_song(port) -> None:
    user = make_user()
    song = make_song(user)
    browser, address = Browser(user, port), f"/songs/{song.pk}/newest/stream/"
    wait_for(browser.is_answered)
    heard: list[bytes] = []

    @own_connection()
    def rename() -> None:
        edit_plan(song.pk, song.revisions.count(), "Rename", lambda plan: rename_song(plan, "New"))

    def listens() -> bool:
        with suppress(OSError), browser.open(address) as stream:
            heard[:] = [stream.readline() for _ in range(2)]
            threading.Thread(target=rename).start()
            heard.append(stream.readline())
        return len(heard) > 2

    wait_for(listens)
    assert heard == [b"retry: 500\n", b"\n", b"data: plan\n"]
    with Browser(make_user("mallory"), port).open(address) as answer:
        assert answer.status == 204


def test_browsers_come_by_https(started, tmp_path) -> None:
    port, certificate, key = free_port(), *certificate_in(tmp_path)
    variables = environment(
        HH_PORT=str(port),
        HH_LISTEN=f"127.0.0.1:{port} ssl http2",
        HH_TLS=f"{certificate} {key}",
        HH_HTTPS="1",
        HH_HOSTS="localhost,hall.example",
        HH_ORIGINS="https://hall.example",
    )
    started += [Kept(what, variables) for what in ("web", "front")]
    trusting = ssl.create_default_context(cafile=certificate)

    def asked(path: str) -> http.client.HTTPMessage | None:
        request = urllib.request.Request(f"https://127.0.0.1:{port}{path}", headers={"Host": "hall.example"})
        with suppress(OSError), urllib.request.urlopen(request, context=trusting) as answer:
            return answer.headers
        return None

    wait_for(lambda: asked("/ready/"))
    headers = asked("/accounts/login/")
    assert "max-age=31536000" in headers["Strict-Transport-Security"]
    assert re.search(r"csrftoken=.*Secure", headers["Set-Cookie"])
    trusting.set_alpn_protocols(["h2", "http/1.1"])
    with closing(http.client.HTTPSConnection("127.0.0.1", port, context=trusting)) as connection:
        connection.connect()
        assert connection.sock.selected_alpn_protocol() == "h2"


class Player(ThreadingHTTPServer):
    """A stand-in for a process that plays: it answers everything, and notes what it was asked for."""

    def __init__(self) -> None:
        self.asked: list[str] = []
        super().__init__(("127.0.0.1", 0), _Answer)
        threading.Thread(target=self.serve_forever).start()


class _Answer(BaseHTTPRequestHandler):
    def do_GET(self) -> None:
        self.server.asked.append(self.path)
        self.send_response(200)
        self.send_header("Content-Length", "0")
        self.end_headers()

    def log_message(self, *_) -> None:
        """Say nothing."""


def test_a_song_is_played_by_one_process_and_one_of_many_lanes_by_all(started) -> None:
    port, players = free_port(), [Player() for _ in range(3)]
    at = " ".join(f"127.0.0.1:{player.server_port}" for player in players)
    started.append(Kept("front", environment(HH_PORT=str(port), HH_SOUND_AT=at), port))
    wait_for(started[0].is_there)

    def asked(query: str) -> list[set[str]]:
        for player in players:
            player.asked.clear()
        for number in (*range(30), *range(30)):
            address = f"http://127.0.0.1:{port}/songs/5/segments/1/lane-{number}/0-{'a' * 32}.flac{query}"
            urllib.request.urlopen(address, timeout=60).close()
        return [set(player.asked) for player in players]

    try:
        assert sorted(map(len, asked(""))) == [0, 0, 30]
        shares = asked("?spread=1")
        assert min(map(len, shares)) > 0
        assert sum(map(len, shares)) == 30  # each lane by one of them, both times
    finally:
        for player in players:
            player.shutdown()
            player.server_close()
