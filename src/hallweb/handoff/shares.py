"""Prints in shares: where several workers are alive, each lane and each track of a print is a job of its own.

A print goes through stages: its *lanes* are rendered side by side, *main* and its parts are made of them, *tracks* are printed side by
side, and the last job *ends* it. Whichever share of a stage is done last queues the next stage. A worker that dies costs its share.
"""

from datetime import timedelta
from pathlib import Path

from django.db import transaction
from django.db.models import Avg
from django.utils import timezone
from procrastinate.contrib.django.django_connector import DjangoConnector
from procrastinate.contrib.django.models import ProcrastinateWorker
from procrastinate.manager import JobManager
from procrastinate.tasks import configure_task

from hallweb.handoff.models import PrintJob, PrintShare
from hallweb.handoff.printing import (
    Asked,
    Teller,
    earlier_tracks,
    end_print,
    ended_by_faults,
    file_of_row,
    file_row,
    print_whole,
    tell_of,
)
from hallweb.songs.files import print_folder
from hallweb.songs.lasting import forget, here, keep
from hallweb.songs.sounds import open_responses
from highhall.prints.shares import (
    RenderedTooShortError,
    finish,
    lane_file,
    print_lanes,
    print_track,
    render_lane,
)
from highhall.render.segments import lanes_of

Stage = PrintJob.Stage
_ALIVE = timedelta(seconds=30)
_OF_LANES = 0.4
"""How much of a print's work its lanes are, as its progress tells it; tracks are the rest."""


def run_print(job_id: int) -> None:
    """Print what a job asks for, or share it out; may be called again for the same job after a crash."""
    job = _open_job(job_id)
    if job is None or job.stage != Stage.WHOLE:  # shared out already: its shares are in the queue
        return
    PrintJob.objects.filter(pk=job.pk).update(state=PrintJob.State.RUNNING, started=timezone.now())
    tell_of(job)
    with ended_by_faults(job):
        if ProcrastinateWorker.objects.filter(last_heartbeat__gt=timezone.now() - _ALIVE).count() > 1:
            forget(print_folder(job.pk))  # what a worker that died may have left
            _share_out(job, Stage.LANES, lanes_of(Asked.of(job).plan))
        else:
            print_whole(job)


def run_share(job_id: int, key: str) -> None:
    """Do one share of a print, and queue what comes next if it was the last of its stage."""
    share = PrintShare.objects.select_related("job__revision", "job__song").filter(job_id=job_id, key=key).first()
    if share is None or not share.job.is_open:
        return
    job = share.job
    with ended_by_faults(job):
        if not share.is_done:
            asked, teller = Asked.of(job), _ShareTeller(job, share)
            if job.stage == Stage.LANES:
                rendered = _rendered(job)
                keep(render_lane(asked.plan, asked.stems, rendered, asked.options, key, teller))
            else:
                folder, frames = print_folder(job.pk), job.frames
                file = print_track(asked.plan, asked.stems, folder, asked.options, key, frames, teller)
                keep(folder / file.path)
                share.file = file_row(file)
            PrintShare.objects.filter(pk=share.pk).update(is_done=True, progress=1.0, file=share.file)
        _go_on(job)


def print_main(job_id: int) -> None:
    """Print main and what it is made of from the lanes, and share out the tracks."""
    job = _open_job(job_id)
    if job is None or job.stage != Stage.MAIN:
        return
    with ended_by_faults(job):
        asked, folder, rate = Asked.of(job), print_folder(job.pk), job.song.sample_rate
        for lane in lanes_of(asked.plan):
            here(lane_file(_rendered(job), lane))
        responses = open_responses(asked.sounds, rate)
        earlier = earlier_tracks(job, asked.keys)
        try:
            files, rest, frames = print_lanes(asked.plan, responses, _rendered(job), folder, asked.options, earlier)
        except RenderedTooShortError:
            print_whole(job)
            return
        keep(*(folder / file.path for file in files))
        job.frames, job.files = frames, [file_row(file) for file in files]
        job.save(update_fields=["frames", "files"])
        _share_out(job, Stage.TRACKS, rest)


def end_shares(job_id: int) -> None:
    """Put together what all shares of a print have made."""
    job = _open_job(job_id)
    if job is None or job.stage != Stage.END:
        return
    with ended_by_faults(job):
        asked, folder = Asked.of(job), print_folder(job.pk)
        rows = [*job.files, *job.shares.exclude(file=None).values_list("file", flat=True)]
        for stored in rows:
            here(folder / stored["path"], stored["sha256"])
        files = finish(asked.plan, folder, asked.options, [file_of_row(stored) for stored in rows])
        end_print(job, asked, files, job.frames / job.song.sample_rate)
        job.shares.all().delete()
        forget(_rendered(job))  # only now does no job need it that is done once more after its worker died


def _open_job(job_id: int) -> PrintJob | None:
    job = PrintJob.objects.select_related("revision", "song").filter(pk=job_id).first()
    return job if job and job.is_open else None


def _rendered(job: PrintJob) -> Path:
    return print_folder(job.pk) / "rendered"


def _share_out(job: PrintJob, stage: str, keys: list[str] | tuple[str, ...]) -> None:
    """Begin a stage: a row and a job for each share, all of them or none."""
    if not keys:
        with transaction.atomic():
            PrintJob.objects.filter(pk=job.pk).update(stage=Stage.END)
            _queue("print-end", job)
        return
    with transaction.atomic():
        PrintJob.objects.filter(pk=job.pk).update(stage=stage)
        job.shares.all().delete()
        PrintShare.objects.bulk_create(PrintShare(job=job, key=key) for key in keys)
        for key in keys:
            _queue("print-share", job, key=key)


def _go_on(job: PrintJob) -> None:
    """Queue the next stage once all shares of this one are done; whoever comes second finds that it was done."""
    with transaction.atomic():
        locked = PrintJob.objects.select_for_update().get(pk=job.pk)
        following = {Stage.LANES: (Stage.MAIN, "print-main"), Stage.TRACKS: (Stage.END, "print-end")}.get(
            Stage(locked.stage)
        )
        if following is None or locked.shares.filter(is_done=False).exists():
            return
        stage, task = following
        PrintJob.objects.filter(pk=job.pk).update(stage=stage)
        _queue(task, job)


def _queue(task: str, job: PrintJob, **arguments: str) -> None:
    """Queue a job of a print, as part of the transaction: the more prints its author has open, the later."""
    others = PrintJob.objects.filter(author=job.author_id, state__in=PrintJob.OPEN, pk__lt=job.pk).count()
    # A worker's own tasks queue by connections that are outside of the transaction.
    queue = JobManager(DjangoConnector(alias="default"))
    configure_task(name=task, job_manager=queue, priority=-others).defer(job_id=job.pk, **arguments)


class _ShareTeller(Teller):
    """Stores the progress of a share, and that of the print that all shares make."""

    def __init__(self, job: PrintJob, share: PrintShare) -> None:
        super().__init__(job)
        self._share, self._stage = share, job.stage

    def tell(self, share: float) -> None:
        """Store the progress."""
        PrintShare.objects.filter(pk=self._share.pk).update(progress=share)
        mean = PrintShare.objects.filter(job_id=self._share.job_id).aggregate(mean=Avg("progress"))["mean"] or 0.0
        is_lanes = self._stage == Stage.LANES
        super().tell(_OF_LANES * mean if is_lanes else _OF_LANES + (1 - _OF_LANES) * mean)
