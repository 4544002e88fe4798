"""Two web, three sound, two working processes, one for news, nginx, PostgreSQL and a stand-in for S3: any of them may die."""

import hashlib
import http.client
import json
import os
import re
import signal
import threading
import time
import urllib.error
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path
from typing import TypeVar

import pytest
from django.conf import settings
from django.db import OperationalError, connection
from django.urls import reverse

from hallweb.handoff.models import PrintJob
from hallweb.songs.models import Revision, Song
from hallweb.songs.revisions import plan_of
from hallweb.songs.song_files import song_file
from tests.browser.worker import give_back
from tests.sessions import end_other_sessions
from tests.trust.s3_stand_in import bucket
from tests.web.factories import make_song, make_user
from tests.web.processes import ROOT, Browser, Kept, environment, free_port, start, wait_for

pytestmark = [pytest.mark.slow, pytest.mark.django_db(transaction=True), pytest.mark.flaky(reruns=2)]
"""Run again if the machine stood still meanwhile: what is heard goes by real time."""

T = TypeVar("T")
LISTENERS = 12
AHEAD_S = 3.0
FAULTS = (urllib.error.URLError, ConnectionError, http.client.HTTPException, TimeoutError)


class Machines:
    """All processes of an installation: the front and the web on one machine, sound on a second, work on two more."""

    def __init__(self, folder: Path, storage: dict[str, str]) -> None:
        self.port = free_port()
        ports = [free_port() for _ in range(6)]
        at = [f"127.0.0.1:{port}" for port in ports]
        common = environment(**storage, HH_LISTEN=f"127.0.0.1:{self.port}", HH_PORT=str(self.port))

        def where(machine: str, **more: str) -> dict[str, str]:
            return {**common, "HH_DATA_DIR": str(folder / machine), **more}

        with connection.cursor() as cursor:  # tests do without it elsewhere; here the database dies
            cursor.execute(f"ALTER DATABASE {connection.settings_dict['NAME']} SET synchronous_commit = on")
        command = [str(ROOT / ".venv/bin/python"), "manage.py", "createcachetable"]
        assert start(command, where("web")).wait(60) == 0
        self.kept = [
            *(Kept("web", where("web", HH_BIND=at[number]), ports[number]) for number in (0, 1)),
            *(Kept("sound", where("sound", HH_BIND=at[number]), ports[number]) for number in (2, 3, 4)),
            *(Kept("work", where(f"work {number}", HH_JOBS_AT_ONCE="1")) for number in (1, 2)),
            Kept("news", where("web", HH_BIND=at[5]), ports[5]),
            Kept(
                "front",
                where("sound", HH_WEB_AT=" ".join(at[:2]), HH_SOUND_AT=" ".join(at[2:5]), HH_NEWS_AT=at[5]),
                self.port,
            ),
        ]

    def end(self) -> None:
        for each in self.kept:
            each.end()


@pytest.fixture
def machines(tmp_path) -> Iterator[Machines]:
    with bucket() as (name, address):
        storage = {"HH_S3_BUCKET": name, "HH_S3_ADDRESS": address, "HH_S3_KEY": "key", "HH_S3_SECRET": "secret"}
        made = Machines(tmp_path, storage)
        yield made
        made.end()
    end_other_sessions()


def tried(work: Callable[[], T]) -> tuple[T, int]:
    """Return what works in the end, as for a page that asks again, and how often it did not."""
    until, failures = time.monotonic() + 60, 0
    while True:
        try:
            return work(), failures
        except urllib.error.HTTPError as error:
            if error.code < 500 or time.monotonic() > until:
                raise
        except FAULTS:
            if time.monotonic() > until:
                raise
        failures += 1
        time.sleep(0.1)


class Listener(threading.Thread):
    """Plays the song from its beginning again and again; notes when a segment did not come at once and had to be asked for again."""

    def __init__(self, browser: Browser, song_id: int, is_over: threading.Event) -> None:
        super().__init__()
        self._browser, self._song, self._is_over = browser, song_id, is_over
        self.heard, self.missed = 0, []

    def run(self) -> None:
        began = time.monotonic() + AHEAD_S
        number = 0
        while not self._is_over.is_set():
            if number % 4 == 0:
                listed = json.loads(tried(lambda: self._browser.get(f"/songs/{self._song}/manifest/"))[0])
            time.sleep(max(began + number * 2 - AHEAD_S - time.monotonic(), 0))
            failures = 0
            for lane in listed["lanes"]:
                key = lane["keys"][number % 4]
                address = lane["url"].replace("INDEX", str(number % 4)).replace("KEY", key)
                sound, failed = tried(lambda address=address: self._browser.get(address))
                assert sound[:4] == b"fLaC"
                self.heard += 1
                failures += failed
            if failures:
                self.missed.append(time.monotonic())
            number += 1


def edit(browser: Browser, song_id: int, is_over: threading.Event, made: dict[int, float]) -> None:
    """Set a send's level again and again; note what was acknowledged."""
    level, base = -20.0, 1
    while not is_over.is_set():
        level = -20.0 if level > -4 else level + 0.25
        form = {"revision": base, "source": "voice", "target": "hall", "field": "level", "value": level}
        try:
            page = browser.post(f"/songs/{song_id}/sends/set/", form, **{"HX-Request": "true"}).decode()
            base = int(re.search(r'name="revision" value="(\d+)"', page)[1])
            made[base] = level
        except (*FAULTS, TypeError):
            time.sleep(0.2)
            base = json.loads(tried(lambda: browser.get(f"/songs/{song_id}/newest/"))[0])["revision"]
        time.sleep(0.1)


def hear_of_edits(browser: Browser, song_id: int, is_over: threading.Event, streams: list[int]) -> None:
    """Listen to a song's news as a page does; note of each stream how often it told of an edit."""
    while not is_over.is_set():
        with suppress(*FAULTS), browser.open(f"/songs/{song_id}/newest/stream/") as stream:
            streams.append(0)
            while not is_over.is_set() and (line := stream.readline()):
                streams[-1] += line == b"data: plan\n"
        time.sleep(0.1)


def imported(browser: Browser, content: bytes) -> int:
    """Bring in a song that was saved as a file, in two parts; return its number."""
    opened = json.loads(browser.post("/songs/open/", {"name": "song.zip", "size": len(content), "modified": 1}))
    for start_at, stop in ((0, len(content) // 2), (len(content) // 2, len(content))):
        browser.post(opened["url"], content[start_at:stop], **{"X-Offset": str(start_at)})
    return int(re.search(r"/songs/(\d+)/", json.loads(browser.post(f"{opened['url']}finish/", {}))["page"])[1])


def kill_database() -> None:
    """Kill the backends of all sessions at once: PostgreSQL recovers as after a crash, and every connection breaks."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT pid FROM pg_stat_activity WHERE backend_type = 'client backend' AND pid <> pg_backend_pid()"
        )
        pids = [pid for (pid,) in cursor.fetchall()]
    os.kill(pids[0], signal.SIGKILL)
    connection.close()

    def answers() -> bool:
        try:
            connection.ensure_connection()
        except OperationalError:
            return False
        return True

    wait_for(answers)


def test_whatever_dies_nobody_misses_more_than_a_segment_and_no_edit_or_print_is_lost(machines: Machines) -> None:
    user = make_user()
    browser = Browser(user, machines.port)
    content = b"".join(song_file(make_song(user)))
    wait_for(browser.is_answered)
    song_id = imported(browser, content)
    song = Song.objects.get(pk=song_id)
    assert not list(Path(settings.DATA_DIR).glob(f"songs/{song_id}/*")), "it came in elsewhere"
    is_over, edits = threading.Event(), {}
    listeners = [Listener(browser, song_id, is_over) for _ in range(LISTENERS)]
    editor = threading.Thread(target=edit, args=(browser, song_id, is_over, edits))
    streams: list[int] = []
    page = threading.Thread(target=hear_of_edits, args=(browser, song_id, is_over, streams))
    for each in (*listeners, page, editor):
        each.start()
    printing = reverse("handoff:print", args=[song_id])
    killed: list[float] = []
    try:
        for each in machines.kept:
            tried(lambda: browser.post(printing, {}, **{"HX-Request": "true"}))
            time.sleep(1.5)
            killed.append(time.monotonic())
            each.kill()
            time.sleep(2)
            wait_for(each.is_there)
        killed.append(time.monotonic())
        kill_database()
        time.sleep(4)
    finally:
        is_over.set()
        for each in (*listeners, page, editor):
            each.join()
    assert min(each.heard for each in listeners) > len(killed)
    died = [*(each.what for each in machines.kept), "database"]
    for dead, at, next_at in zip(died, killed, [*killed[1:], float("inf")], strict=True):
        missed = [sum(at <= moment < next_at for moment in each.missed) for each in listeners]
        assert max(missed) <= 1, f"{dead} died: {missed}"
    assert len(streams) > 3  # news, front and database died
    assert streams[0] > 0
    assert streams[-1] > 0
    numbers = dict(Revision.objects.filter(song=song).values_list("number", "pk"))
    assert len(edits) > 20
    for number, level in edits.items():
        assert plan_of(numbers[number]).send("voice", "hall").level_db == pytest.approx(level)
    with connection.cursor() as cursor:  # half a minute passes for what a dead worker held
        cursor.execute("UPDATE procrastinate_workers SET last_heartbeat = last_heartbeat - interval '1 minute' WHERE last_heartbeat < now() - interval '15 seconds'")  # fmt: skip
    give_back()
    wait_for(lambda: not PrintJob.objects.filter(state__in=PrintJob.OPEN).exists())
    for job in PrintJob.objects.all():
        assert job.state == PrintJob.State.DONE, job.message
        for file in job.files:
            content = browser.get(reverse("handoff:download", args=[song_id, job.pk, file["path"]]))
            assert hashlib.sha256(content).hexdigest() == file["sha256"]
