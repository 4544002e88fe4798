"""Running a print: what the background task does."""

import logging
import shutil
import time

from procrastinate.contrib.django.models import ProcrastinateJob

from hallweb.handoff.models import PrintJob
from hallweb.songs.files import print_folder
from hallweb.songs.sounds import open_stems, song_sounds
from highhall.errors import CoreError
from highhall.plan import plan_from_document
from highhall.prints import PrintOptions, print_plan

_TELL_EVERY_S = 0.25
PARTS = ("main", "dry", "returns")
BROKE_OFF = "The print broke off because of a fault in High Hall, which its log describes. Your song is as it was; print it again."

_log = logging.getLogger(__name__)


class CancelledError(Exception):
    """The user has cancelled the print."""


def run_print(job_id: int) -> None:
    """Print to 24-bit WAV; may be called again for the same job after a crash."""
    job = PrintJob.objects.select_related("revision", "song").get(pk=job_id)
    if not job.is_open:
        return
    job.state = PrintJob.State.RUNNING
    job.save(update_fields=["state"])
    shutil.rmtree(print_folder(job.pk), ignore_errors=True)  # what a worker that died may have left
    try:
        plan = plan_from_document(job.revision.document)
        stems = open_stems(song_sounds(job.song_id), plan.song.sample_rate)
        summary = print_plan(plan, stems, print_folder(job.pk), PrintOptions(kinds=PARTS), _Teller(job))
    except CancelledError:
        return
    except (CoreError, OSError) as error:
        _fail(job, str(error))
        return
    except Exception:  # whatever it was, nobody shall wait for this print for good
        _log.exception("print %s broke off", job.pk)
        _fail(job, BROKE_OFF)
        return
    notes = [f"{name}: {count} samples clipped" for name, count in summary.clipped_samples.items()]
    PrintJob.objects.filter(pk=job.pk, state=PrintJob.State.RUNNING).update(
        state=PrintJob.State.DONE,
        progress=1.0,
        files=list(summary.paths),
        seconds=summary.seconds,
        message="; ".join(notes)[:500],
    )


def _fail(job: PrintJob, sentence: str) -> None:
    shutil.rmtree(print_folder(job.pk), ignore_errors=True)
    PrintJob.objects.filter(pk=job.pk).update(state=PrintJob.State.FAILED, message=sentence[:500])


def fail_lost_prints() -> None:
    """End the prints that are open although nothing in the queue works on them any more."""
    queued = ProcrastinateJob.objects.filter(task_name="print-song", status__in=("todo", "doing"))
    alive = [args["job_id"] for args in queued.values_list("args", flat=True)]
    for job in PrintJob.objects.filter(state__in=PrintJob.OPEN).exclude(pk__in=alive):
        _fail(job, BROKE_OFF)


class _Teller:
    """Stores progress a few times a second, and stops the print if it was cancelled."""

    def __init__(self, job: PrintJob) -> None:
        self._job = job
        self._told = time.monotonic()

    def __call__(self, share: float) -> None:
        now = time.monotonic()
        if now - self._told < _TELL_EVERY_S:
            return
        self._told = now
        running = PrintJob.objects.filter(pk=self._job.pk, state=PrintJob.State.RUNNING)
        if not running.update(progress=min(max(share, 0.0), 1.0)):
            raise CancelledError
