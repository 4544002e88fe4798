"""Prints as jobs: queued, run, cancelled, downloaded, and kept from strangers."""

import hashlib
import html
import io
import json
import zipfile

import mido
import numpy as np
import pytest
import soundfile as sf
from django.urls import reverse
from procrastinate.contrib.django.models import ProcrastinateJob

from hallweb.handoff import printing, removal, shares
from hallweb.handoff.models import PrintJob
from hallweb.songs.actions import edit_plan
from hallweb.songs.files import print_folder, song_folder
from highhall.plan import parse_plan
from highhall.plan.edits import set_return, set_tracks
from tests.web.factories import make_user


@pytest.fixture
def job(signed_in, song):
    signed_in.post(reverse("handoff:print", args=[song.pk]), {"pattern": ""})
    return PrintJob.objects.get()


def download(client, song, job, name: str):
    return client.get(reverse("handoff:download", args=[song.pk, job.pk, name]))


def test_a_print_is_queued_with_its_job(job) -> None:
    assert job.state == PrintJob.State.WAITING
    assert ProcrastinateJob.objects.get(task_name="print-song").args == {"job_id": job.pk}


def test_a_print_is_run_and_its_parts_sum_to_the_whole(signed_in, song, job) -> None:
    shares.run_print(job.pk)
    job.refresh_from_db()
    assert (job.state, job.progress) == (PrintJob.State.DONE, 1.0)
    parts = {}
    for name in (file["path"] for file in job.files):
        response = download(signed_in, song, job, name)
        assert response["Content-Disposition"].startswith("attachment")
        parts[name] = sf.read(io.BytesIO(b"".join(response.streaming_content)), dtype="float64")[0]
    main = parts.pop("main.wav")
    assert set(parts) == {"dry.wav", "returns/plate.wav", "returns/hall.wav"}
    assert np.abs(main - sum(parts.values())).max() < 4 / 2**23


def test_the_row_asks_again_until_the_print_is_done(signed_in, song, job) -> None:
    address = reverse("handoff:progress", args=[song.pk, job.pk])
    assert "hx-trigger" in signed_in.get(address).content.decode()
    shares.run_print(job.pk)
    page = signed_in.get(address).content.decode()
    assert "hx-trigger" not in page
    assert "returns/hall.wav" in page


def test_running_a_finished_print_again_changes_nothing(job) -> None:
    shares.run_print(job.pk)
    before = sorted(path.stat().st_mtime_ns for path in print_folder(job.pk).rglob("*.wav"))
    shares.run_print(job.pk)
    assert sorted(path.stat().st_mtime_ns for path in print_folder(job.pk).rglob("*.wav")) == before


def test_a_cancelled_print_stops_and_leaves_nothing(signed_in, song, job, monkeypatch) -> None:
    monkeypatch.setattr(printing, "_TELL_EVERY_S", 0)
    real = printing.Teller.__call__

    def cancel_half_way(self, share: float) -> None:
        if share > 0.4:
            signed_in.post(reverse("handoff:cancel", args=[song.pk, job.pk]))
        real(self, share)

    monkeypatch.setattr(printing.Teller, "__call__", cancel_half_way)
    shares.run_print(job.pk)
    job.refresh_from_db()
    assert job.state == PrintJob.State.CANCELLED
    assert not print_folder(job.pk).exists()


def test_a_print_whose_stem_is_gone_says_so(song, job) -> None:
    from hallweb.songs import sounds as stems

    stems._opened.cache_clear()
    (song_folder(song.pk) / "harp.wav").unlink()
    shares.run_print(job.pk)
    job.refresh_from_db()
    assert job.state == PrintJob.State.FAILED
    assert '"harp.wav" is missing' in job.message


def test_strangers_get_no_print_and_nobody_gets_other_files(signed_in, client, song, job) -> None:
    shares.run_print(job.pk)
    assert download(signed_in, song, job, "../../secrets.json").status_code == 404
    assert download(signed_in, song, job, "groups/band.wav").status_code == 404
    client.force_login(make_user("mallory"))
    assert download(client, song, job, "main.wav").status_code == 404
    assert client.post(reverse("handoff:cancel", args=[song.pk, job.pk])).status_code == 404


def test_the_plan_is_downloaded_as_the_document_it_is(signed_in, song) -> None:
    response = signed_in.get(reverse("handoff:export", args=[song.pk, "plan"]))
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
    shares.run_print(job.pk)
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


# choices


def start(client, song, **said):
    return client.post(reverse("handoff:print", args=[song.pk]), said, headers={"HX-Request": "true"})


def printed(client, song, **said) -> PrintJob:
    start(client, song, **said)
    job = PrintJob.objects.first()
    shares.run_print(job.pk)
    job.refresh_from_db()
    assert job.state == PrintJob.State.DONE, job.message
    return job


def page(client, song) -> str:
    return html.unescape(client.get(reverse("handoff:hand-off", args=[song.pk])).content.decode())


def test_chosen_parts_of_a_section_are_printed_as_chosen(signed_in, song) -> None:
    job = printed(
        signed_in, song, chosen="1", part=["main", "tracks/voice"], range="section b", format="flac", depth="16", rate="44100",
        pattern="{title} {kind} {name}",
    )  # fmt: skip
    assert [file["part"] for file in job.files] == ["main", "tracks/voice"]
    assert job.author.username == "ada"
    response = download(signed_in, song, job, job.files[1]["path"])
    assert response["Content-Type"] == "audio/flac"
    sound = sf.SoundFile(io.BytesIO(b"".join(response.streaming_content)))
    assert (sound.samplerate, sound.subtype) == (44100, "PCM_16")
    assert job.options["range"] == "Refrain"


def test_the_loop_of_the_dock_is_printed_as_a_range(signed_in, song) -> None:
    loop = {"range": "loop", "loop_name": "Verse", "loop_start": 24000, "loop_end": 72000}
    job = printed(signed_in, song, chosen="1", part="main", **loop)
    assert (job.options["start"], job.options["end"], job.options["range"]) == (24000, 72000, "Loop Verse")
    assert job.seconds >= 1.0
    assert "Loop Verse, WAV 24" in page(signed_in, song)


@pytest.mark.parametrize(
    ("said", "sentence"),
    [
        ({"chosen": "1"}, "Nothing is chosen to print; tick at least one part."),
        (
            {"part": "main", "format": "flac", "depth": "32f"},
            "FLAC holds whole numbers only: choose 16 or 24 bit, or WAV.",
        ),
        (
            {"part": "main", "range": "loop", "loop_start": "5", "loop_end": "999999999"},
            "The loop does not lie in the song any more; set it again in the dock.",
        ),
        ({"part": "main", "range": "loop"}, "The loop does not lie in the song any more"),
        ({"part": ["main", "dry"], "pattern": "{title}"}, "gives Main and Dry the same name"),
        ({"part": "main", "pattern": "{artist}"}, "has {artist}; there are {title}, {kind}, {name}, {bpm}, {section}"),
    ],
)
def test_what_cannot_be_printed_is_refused_in_a_sentence(signed_in, song, said, sentence: str) -> None:
    response = start(signed_in, song, **said)
    assert response.status_code == 422
    assert sentence in html.unescape(response.content.decode())
    assert not PrintJob.objects.exists()


def test_the_tree_says_what_is_printed_and_what_changed_since(signed_in, song) -> None:
    assert "not printed" in page(signed_in, song)
    printed(signed_in, song, pattern="")
    tree = page(signed_in, song)
    assert tree.count("as in revision 1") == 4  # main, dry, two returns
    assert "sum to Main; the last print differed by −" in tree
    edit_plan(song.pk, 1, "Hall louder", lambda plan: set_return(plan, "hall", level_db=-3.0))
    tree = page(signed_in, song)
    assert "1 edit since the last print, of revision 1" in tree
    assert tree.count("changed since 1") == 2  # main and the hall
    assert tree.count("as in revision 1") == 2


def test_a_track_that_no_edit_has_changed_is_copied_from_the_print_before(signed_in, song, monkeypatch) -> None:
    copied = []
    real = printing.print_plan

    def watched(*args):
        summary = real(*args)
        copied.append(summary.copied)
        return summary

    monkeypatch.setattr(printing, "print_plan", watched)
    said = {"part": ["main", "tracks/voice", "tracks/harp"], "pattern": ""}
    printed(signed_in, song, **said)
    edit_plan(song.pk, 1, "Voice lower", lambda plan: set_tracks(plan, ["voice"], level_db=-8.0))
    song.refresh_from_db()
    printed(signed_in, song, **said)
    assert copied == [(), ("tracks/harp",)]


def test_all_files_come_as_one_archive_with_their_manifest(signed_in, song) -> None:
    job = printed(signed_in, song, pattern="")
    response = signed_in.get(reverse("handoff:download-all", args=[song.pk, job.pk]))
    with zipfile.ZipFile(io.BytesIO(b"".join(response.streaming_content))) as archive:
        manifest = json.loads(archive.read("prints.json"))
        for row in manifest["files"]:
            assert hashlib.sha256(archive.read(row["path"])).hexdigest() == row["sha256"]
    assert job.bytes == sum((print_folder(job.pk) / file["path"]).stat().st_size for file in job.files)


def test_a_print_is_removed_with_its_files_at_once_or_when_its_time_is_over(signed_in, song, settings) -> None:
    first = printed(signed_in, song, pattern="")
    signed_in.post(reverse("handoff:remove", args=[song.pk, first.pk]))
    assert not print_folder(first.pk).exists()
    second = printed(signed_in, song, pattern="")
    removal.remove_old_prints()
    assert print_folder(second.pk).exists()
    settings.PRINTS_KEPT_DAYS = 0
    removal.remove_old_prints()
    assert not print_folder(second.pk).exists()
    assert not PrintJob.objects.exists()


def test_whoever_has_prints_waiting_comes_later_than_whoever_has_none(signed_in, song, user) -> None:
    for _ in range(3):
        start(signed_in, song, pattern="")
    queued = ProcrastinateJob.objects.filter(task_name="print-song").order_by("id")
    assert [*queued.values_list("priority", flat=True)] == [0, -1, -2]


# sheet and files


def test_the_sheet_is_turned_leaf_by_leaf_and_its_ends_hold(signed_in, song) -> None:
    def leaf(number: int) -> str:
        return signed_in.get(reverse("handoff:sheet", args=[song.pk, number])).content.decode()

    assert "leaf-cover" in leaf(1)
    assert "leaf-return" in leaf(2)
    assert leaf(99) == leaf(99)
    count = int(leaf(1).split(" of ")[1].split("<")[0])
    assert f"{count} of {count}" in leaf(99)


def test_the_sheet_on_its_own_may_run_nothing_and_the_pdf_is_one(signed_in, song) -> None:
    response = signed_in.get(reverse("handoff:sheet-page", args=[song.pk]))
    assert "default-src 'none'" in response["Content-Security-Policy"]
    pdf = signed_in.get(reverse("handoff:sheet-file", args=[song.pk]), {"paper": "letter"})
    assert pdf.content.startswith(b"%PDF-")
    assert pdf["Content-Disposition"].endswith('.pdf"')
    assert signed_in.get(reverse("handoff:sheet-file", args=[song.pk]), {"paper": "a3"}).status_code == 404


def body(response) -> bytes:
    return b"".join(response.streaming_content) if response.streaming else response.content


@pytest.mark.parametrize(
    ("kind", "names"),
    [
        ("tables", ["moves.csv", "sections.csv", "sends.csv", "throws.csv"]),
        ("responses", ["about.txt", "hall.wav", "plate.wav"]),
        ("song", ["high-hall-song.json", "plan.json", "drum.wav", "harp.wav", "voice.wav"]),
    ],
)
def test_files_for_other_programs_come_as_archives(signed_in, song, kind: str, names: list[str]) -> None:
    response = signed_in.get(reverse("handoff:export", args=[song.pk, kind]))
    with zipfile.ZipFile(io.BytesIO(body(response))) as archive:
        assert sorted(archive.namelist()) == sorted(names)


@pytest.mark.parametrize("kind", ["midi", "tables", "responses", "song", "plan"])
def test_a_stranger_gets_no_file(stranger, song, kind: str) -> None:
    assert stranger.get(reverse("handoff:export", args=[song.pk, kind])).status_code == 404


def test_midi_is_read_by_a_midi_library(signed_in, song) -> None:
    content = body(signed_in.get(reverse("handoff:export", args=[song.pk, "midi"])))
    assert [track.name for track in mido.MidiFile(file=io.BytesIO(content)).tracks[1:]] == ["plate", "hall"]
