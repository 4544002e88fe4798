"""Starting and cancelling prints."""

from django.db import transaction

from hallweb.handoff.models import PrintJob
from hallweb.handoff.tasks import print_song
from hallweb.songs.models import Revision, Song


def start_print(song: Song, revision: Revision) -> PrintJob:
    """Queue a print of one revision of a song; job and queue entry are made together or not at all."""
    with transaction.atomic():
        job = PrintJob.objects.create(song=song, revision=revision)
        print_song.defer(job_id=job.pk)
    return job


def cancel_print(job: PrintJob) -> None:
    """Cancel a print that is not finished; the worker stops at its next block."""
    PrintJob.objects.filter(pk=job.pk, state__in=PrintJob.OPEN).update(state=PrintJob.State.CANCELLED)
