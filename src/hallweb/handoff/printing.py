"""Running a print: what the background task does."""

import shutil
import time

from hallweb.handoff.models import PrintJob
from hallweb.songs.files import print_folder
from hallweb.songs.stems import open_stems, song_sounds
from highhall.errors import CoreError
from highhall.plan import plan_from_document
from highhall.render import PrintOptions, print_plan

_TELL_EVERY_S = 0.25
PARTS = ("main", "dry", "returns")


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
        summary = print_plan(plan, stems, print_folder(job.pk), PrintOptions(parts=PARTS), _Teller(job))
    except CancelledError:
        return
    except (CoreError, OSError) as error:
        PrintJob.objects.filter(pk=job.pk).update(state=PrintJob.State.FAILED, message=str(error)[:500])
        return
    notes = [f"{name}: {count} samples clipped" for name, count in summary.clipped_samples.items()]
    PrintJob.objects.filter(pk=job.pk, state=PrintJob.State.RUNNING).update(
        state=PrintJob.State.DONE,
        progress=1.0,
        files=list(summary.files),
        seconds=summary.seconds,
        message="; ".join(notes)[:500],
    )


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
