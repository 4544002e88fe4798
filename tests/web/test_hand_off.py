"""Prints as jobs: queued, run, cancelled, downloaded, and kept from strangers."""

import io
import json

import numpy as np
import pytest
import soundfile as sf
from django.urls import reverse
from procrastinate.contrib.django.models import ProcrastinateJob

from hallweb.handoff import printing
from hallweb.handoff.models import PrintJob
from hallweb.songs.files import print_folder, song_folder
from highhall.plan import parse_plan
from tests.web.factories import make_user


@pytest.fixture
def job(signed_in, song):
    signed_in.post(reverse("handoff:print", args=[song.pk]))
    return PrintJob.objects.get()


def download(client, song, job, name: str):
    return client.get(reverse("handoff:download", args=[song.pk, job.pk, name]))


def test_a_print_is_queued_with_its_job(job) -> None:
    assert job.state == PrintJob.State.WAITING
    assert ProcrastinateJob.objects.get(task_name="print-song").args == {"job_id": job.pk}


def test_a_print_is_run_and_its_parts_sum_to_the_whole(signed_in, song, job) -> None:
    printing.run_print(job.pk)
    job.refresh_from_db()
    assert (job.state, job.progress) == (PrintJob.State.DONE, 1.0)
    parts = {}
    for name in job.files:
        response = download(signed_in, song, job, name)
        assert response["Content-Disposition"].startswith("attachment")
        parts[name] = sf.read(io.BytesIO(b"".join(response.streaming_content)), dtype="float64")[0]
    main = parts.pop("main.wav")
    assert set(parts) == {"dry.wav", "returns/plate.wav", "returns/hall.wav"}
    assert np.abs(main - sum(parts.values())).max() < 4 / 2**23


def test_the_row_asks_again_until_the_print_is_done(signed_in, song, job) -> None:
    address = reverse("handoff:progress", args=[song.pk, job.pk])
    assert "hx-trigger" in signed_in.get(address).content.decode()
    printing.run_print(job.pk)
    page = signed_in.get(address).content.decode()
    assert "hx-trigger" not in page
    assert "returns/hall.wav" in page


def test_running_a_finished_print_again_changes_nothing(job) -> None:
    printing.run_print(job.pk)
    before = sorted(path.stat().st_mtime_ns for path in print_folder(job.pk).rglob("*.wav"))
    printing.run_print(job.pk)
    assert sorted(path.stat().st_mtime_ns for path in print_folder(job.pk).rglob("*.wav")) == before


def test_a_cancelled_print_stops_and_leaves_nothing(signed_in, song, job, monkeypatch) -> None:
    monkeypatch.setattr(printing, "_TELL_EVERY_S", 0)
    real = printing._Teller.__call__

    def cancel_half_way(self, share: float) -> None:
        if share > 0.4:
            signed_in.post(reverse("handoff:cancel", args=[song.pk, job.pk]))
        real(self, share)

    monkeypatch.setattr(printing._Teller, "__call__", cancel_half_way)
    printing.run_print(job.pk)
    job.refresh_from_db()
    assert job.state == PrintJob.State.CANCELLED
    assert list(print_folder(job.pk).iterdir()) == []


def test_a_print_whose_stem_is_gone_says_so(song, job) -> None:
    from hallweb.songs import sounds as stems

    stems._opened.cache_clear()
    (song_folder(song.pk) / "harp.wav").unlink()
    printing.run_print(job.pk)
    job.refresh_from_db()
    assert job.state == PrintJob.State.FAILED
    assert '"harp.wav" is missing' in job.message


def test_strangers_get_no_print_and_nobody_gets_other_files(signed_in, client, song, job) -> None:
    printing.run_print(job.pk)
    assert download(signed_in, song, job, "../../secrets.json").status_code == 404
    assert download(signed_in, song, job, "groups/band.wav").status_code == 404
    client.force_login(make_user("mallory"))
    assert download(client, song, job, "main.wav").status_code == 404
    assert client.post(reverse("handoff:cancel", args=[song.pk, job.pk])).status_code == 404


def test_the_plan_is_downloaded_as_the_document_it_is(signed_in, song) -> None:
    response = signed_in.get(reverse("handoff:plan", args=[song.pk]))
    assert json.loads(response.content) == song.head.document
    parse_plan(response.content.decode())


@pytest.mark.parametrize("fault", [KeyError("x"), MemoryError(), RuntimeError("no")], ids=repr)
def test_a_fault_of_any_kind_ends_a_print_as_failed_with_a_sentence(
    signed_in, song, job, fault: Exception, monkeypatch
) -> None:
    def break_off(*_: object) -> None:
        (print_folder(job.pk) / "half.wav").parent.mkdir(parents=True, exist_ok=True)
        (print_folder(job.pk) / "half.wav").write_bytes(b"half")
        raise fault

    monkeypatch.setattr(printing, "print_plan", break_off)
    printing.run_print(job.pk)
    page = signed_in.get(reverse("handoff:progress", args=[song.pk, job.pk])).content.decode()
    assert "Failed" in page
    assert printing.BROKE_OFF in page
    assert "hx-trigger" not in page, "the row does not ask again"
    assert not print_folder(job.pk).exists()


def test_a_print_that_nothing_works_on_any_more_ends_as_failed(job) -> None:
    printing.fail_lost_prints()
    job.refresh_from_db()
    assert job.state == PrintJob.State.WAITING, "it is in the queue"
    ProcrastinateJob.objects.filter(task_name="print-song").update(status="failed")
    printing.fail_lost_prints()
    job.refresh_from_db()
    assert (job.state, job.message) == (PrintJob.State.FAILED, printing.BROKE_OFF)
