"""Prints that several workers share: the same files, whichever worker does what, and whatever is done twice or breaks off."""

import asyncio
from unittest.mock import Mock

import pytest
from django.db import connection, transaction
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob

from hallweb.handoff import printing, shares
from hallweb.handoff.models import PrintJob, PrintShare
from hallweb.songs.files import print_folder
from highhall.errors import CoreError
from tests.browser.worker import run_worker
from tests.web.factories import make_song, make_user

pytestmark = pytest.mark.django_db(transaction=True)

PARTS = {"kinds": ["main", "dry", "returns", "tracks"]}


@pytest.fixture
def song():
    return make_song(make_user())


@pytest.fixture
def two_alive():
    """Another worker than the one that the test runs."""
    with connection.cursor() as cursor:
        cursor.execute("INSERT INTO procrastinate_workers (last_heartbeat) VALUES (now()), (now())")
    yield
    with connection.cursor() as cursor:
        cursor.execute("DELETE FROM procrastinate_workers")


def new_job(song, **options) -> PrintJob:
    from hallweb.handoff.actions import start_print

    return start_print(song, song.head, song.owner, PARTS | options)


def whole(song, **options) -> PrintJob:
    job = PrintJob.objects.create(song=song, revision=song.head, options=PARTS | options, state=PrintJob.State.RUNNING)
    printing.print_whole(job)
    job.refresh_from_db()
    job.delete()  # so that the next one copies nothing of it
    return job


def facts(job: PrintJob) -> list[tuple[str, str]]:
    return [(file["path"], file["sha256"]) for file in job.files]


def test_a_print_in_shares_has_the_files_of_one_process(song, two_alive) -> None:
    expected = whole(song, format="flac", depth="16")
    job = new_job(song, format="flac", depth="16")
    run_worker()
    job.refresh_from_db()
    assert (job.state, job.message, job.stage) == (PrintJob.State.DONE, "", PrintJob.Stage.END)
    assert facts(job) == facts(expected)
    assert (job.sums, job.bytes, job.seconds, job.keys) == (
        expected.sums,
        expected.bytes,
        expected.seconds,
        expected.keys,
    )
    assert not PrintShare.objects.exists()
    assert {path.name for path in print_folder(job.pk).iterdir()} <= {
        "prints.json", "main.flac", "dry.flac", "returns", "tracks",
    }  # fmt: skip


def test_one_worker_alone_prints_in_one_process(song) -> None:
    job = new_job(song)
    run_worker()
    job.refresh_from_db()
    assert (job.state, job.stage) == (PrintJob.State.DONE, PrintJob.Stage.WHOLE)


def test_a_print_without_tracks_ends_after_main(song, two_alive) -> None:
    job = new_job(song, kinds=["main"])
    run_worker()
    job.refresh_from_db()
    assert (job.state, len(job.files)) == (PrintJob.State.DONE, 1)


def test_a_share_that_is_done_twice_changes_nothing(song, two_alive) -> None:
    job = new_job(song)
    shares.run_print(job.pk)
    keys = list(job.shares.values_list("key", flat=True))
    assert keys == ["dry", "plate", "hall"]
    for key in [*keys, "dry", "hall"]:
        shares.run_share(job.pk, key)
    shares.print_main(job.pk)
    shares.print_main(job.pk)
    for key in [*job.shares.values_list("key", flat=True)] * 2:
        shares.run_share(job.pk, key)
    shares.end_shares(job.pk)
    shares.end_shares(job.pk)
    job.refresh_from_db()
    assert job.state == PrintJob.State.DONE
    assert facts(job) == facts(whole(song))


def test_main_is_printed_again_by_another_worker_if_one_dies_before_the_tracks_are_shared_out(
    song, two_alive, monkeypatch
) -> None:
    job = new_job(song)
    shares.run_print(job.pk)
    for key in job.shares.values_list("key", flat=True):
        shares.run_share(job.pk, key)
    with monkeypatch.context() as dying:
        dying.setattr(shares, "_share_out", Mock(side_effect=SystemExit))
        with pytest.raises(SystemExit):
            shares.print_main(job.pk)
    run_worker()
    job.refresh_from_db()
    assert (job.state, job.message) == (PrintJob.State.DONE, "")
    assert facts(job) == facts(whole(song))


def test_lanes_that_ring_on_for_too_long_are_printed_in_one_process(song, two_alive, monkeypatch) -> None:
    from highhall.prints import shares as core

    monkeypatch.setattr(core, "_tail_frames", lambda *_: 0)
    job = new_job(song)
    run_worker()
    job.refresh_from_db()
    assert job.state == PrintJob.State.DONE
    assert facts(job) == facts(whole(song))


def test_a_cancelled_print_stops_in_every_share_and_leaves_nothing(song, two_alive, monkeypatch) -> None:
    monkeypatch.setattr(printing, "_TELL_EVERY_S", 0)
    job = new_job(song)
    shares.run_print(job.pk)
    real = printing.Teller.__call__

    def cancel(self, share: float) -> None:
        PrintJob.objects.filter(pk=job.pk).update(state=PrintJob.State.CANCELLED)
        real(self, share)

    monkeypatch.setattr(printing.Teller, "__call__", cancel)
    for key in ("dry", "hall"):
        shares.run_share(job.pk, key)
    assert not print_folder(job.pk).exists()
    assert PrintJob.objects.get().state == PrintJob.State.CANCELLED


def test_a_share_that_cannot_be_done_ends_the_print_with_a_sentence(song, two_alive, monkeypatch) -> None:
    def refuse(*_args: object) -> None:
        raise CoreError('"harp.wav" is missing')

    monkeypatch.setattr(shares, "render_lane", refuse)
    job = new_job(song)
    run_worker()
    job.refresh_from_db()
    assert (job.state, job.message) == (PrintJob.State.FAILED, '"harp.wav" is missing')
    assert not print_folder(job.pk).exists()


def test_progress_goes_on_through_the_stages(song, two_alive, monkeypatch) -> None:
    monkeypatch.setattr(printing, "_TELL_EVERY_S", 0)
    told: list[float] = []
    real = printing.Teller.tell

    def note(self, share: float) -> None:
        real(self, share)
        told.append(share)

    monkeypatch.setattr(printing.Teller, "tell", note)
    new_job(song)
    run_worker()
    assert told == sorted(told)
    assert 0 < told[0] < 0.4 < told[-1] <= 1


def test_shares_are_in_the_queue_only_once_their_rows_are_stored(song, two_alive) -> None:
    """In a worker, too, whose tasks have connections of their own."""
    job = new_job(song)

    def share_out_and_break_off() -> None:
        try:
            with transaction.atomic():
                shares.run_print(job.pk)
                transaction.set_rollback(True)  # as if it broke off here
        finally:
            connection.close()

    async def run() -> None:
        with app.replace_connector(app.connector.get_worker_connector()):
            async with app.open_async():
                await asyncio.to_thread(share_out_and_break_off)

    asyncio.run(run())
    assert not PrintShare.objects.exists()
    assert not ProcrastinateJob.objects.filter(task_name="print-share", args__job_id=job.pk).exists()


def test_a_share_that_comes_too_late_takes_nothing_from_a_print_that_is_done(song, two_alive, monkeypatch) -> None:
    """A worker that seemed to be dead has gone on with its share while another did it."""
    monkeypatch.setattr(printing, "_TELL_EVERY_S", 0)
    job = new_job(song)
    shares.run_print(job.pk)
    real = printing.Teller.__call__

    def done_by_another(self, share: float) -> None:
        monkeypatch.setattr(printing.Teller, "__call__", real)
        run_worker()
        real(self, share)

    monkeypatch.setattr(printing.Teller, "__call__", done_by_another)
    shares.run_share(job.pk, "hall")
    job.refresh_from_db()
    assert job.state == PrintJob.State.DONE
    assert all((print_folder(job.pk) / file["path"]).is_file() for file in job.files)
