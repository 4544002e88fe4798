"""The web process and the worker killed in the middle of their work: nothing half-done is seen, and the work is done after all."""

from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf
from django.db import connection
from django.test import Client
from django.urls import reverse

from hallweb.audition.segment_file import SegmentFile
from hallweb.handoff.models import PrintJob
from hallweb.songs.files import print_folder, segments_folder
from hallweb.songs.revisions import plan_of
from hallweb.songs.sounds import open_stems, song_sounds
from highhall.render import DRY, Engine
from tests.browser.worker import give_back, run_worker
from tests.web.factories import make_song, make_user
from tests.web.processes import Browser, free_port, kill, process, server_at, wait_for

pytestmark = [pytest.mark.slow, pytest.mark.django_db(transaction=True)]


def test_a_web_process_killed_among_segments_leaves_whole_ones_only() -> None:
    user = make_user()
    song = make_song(user)
    client = Client()
    client.force_login(user)
    manifest = client.get(reverse("audition:manifest", args=[song.pk])).json()
    addresses = {
        (lane["id"], index): lane["url"].replace("INDEX", str(index)).replace("KEY", lane["keys"][index])
        for index in range(4)
        for lane in manifest["lanes"]
    }
    port = free_port()
    browser = Browser(user, port)
    server = server_at(port)

    def stored() -> list[Path]:
        return [path for path in segments_folder().rglob("*.flac") if not path.name.startswith(".")]

    with process(*server) as web, ThreadPoolExecutor(len(addresses)) as pool:
        wait_for(browser.is_answered)
        asked = [pool.submit(browser.get, address) for address in addresses.values()]
        wait_for(stored)
        kill(web)
        assert any(each.exception() for each in asked), "the process was killed after its work, not among it"
    for path in stored():
        SegmentFile.of(path.read_bytes())
    block = Engine(plan_of(song.head.pk), open_stems(song_sounds(song.pk), 48000)).advance(
        4 * manifest["segmentFrames"]
    )
    with process(*server):
        wait_for(browser.is_answered)
        for (lane, index), address in addresses.items():
            gains = next(entry["gains"] for entry in manifest["lanes"] if entry["id"] == lane)
            heard = SegmentFile.of(browser.get(address)).sound * np.array(gains)[:, None]
            printed = block.dry if lane == DRY else block.returns[lane]
            there = slice(index * manifest["segmentFrames"], (index + 1) * manifest["segmentFrames"])
            assert np.abs(heard - printed[:, there]).max() < 1e-5


def test_a_worker_killed_in_a_print_leaves_no_file_and_the_print_is_done_by_the_next() -> None:
    user = make_user()
    song = make_song(user, end="121|1")  # four minutes, so that there is time to kill it
    client = Client()
    client.force_login(user)
    client.post(reverse("handoff:print", args=[song.pk]))
    job = PrintJob.objects.get()
    with process("manage.py", "procrastinate", "worker") as worker:
        wait_for(lambda: PrintJob.objects.get().progress > 0)
        kill(worker)
    job.refresh_from_db()
    assert (job.state, job.files) == (PrintJob.State.RUNNING, [])
    assert not list(print_folder(job.pk).glob("*.wav"))
    assert client.get(reverse("handoff:download", args=[song.pk, job.pk, "main.wav"])).status_code == 404
    with connection.cursor() as cursor:  # half a minute passes
        cursor.execute("UPDATE procrastinate_workers SET last_heartbeat = last_heartbeat - interval '1 minute'")
    give_back()
    run_worker()
    job.refresh_from_db()
    assert (job.state, job.progress) == (PrintJob.State.DONE, 1.0)
    assert sorted(path.name for path in print_folder(job.pk).iterdir()) == [
        "dry.wav",
        "main.wav",
        "prints.json",
        "returns",
    ]
    assert sf.info(print_folder(job.pk) / "main.wav").duration >= 240
