"""Starting and cancelling prints."""

from typing import Any

from django.contrib.auth.models import User
from django.db import transaction

from hallweb.handoff.models import PrintJob
from hallweb.handoff.printing import tell_of
from hallweb.handoff.tasks import print_song
from hallweb.songs.models import Revision, Song
from hallweb.songs.room import require_room


def start_print(song: Song, revision: Revision, author: User, options: dict[str, Any]) -> PrintJob:
    """Queue a print of one revision of a song; job and queue entry are made together or not at all.

    The more prints somebody has waiting, the later their next one comes: nobody waits for all of somebody else's.

    Raises
    ------
    NoRoomError
        If the owner of the song has no room left, or the disk.
    """
    require_room(song.owner, 0)
    with transaction.atomic():
        waiting = PrintJob.objects.filter(author=author, state__in=PrintJob.OPEN).count()
        job = PrintJob.objects.create(song=song, revision=revision, author=author, options=options)
        print_song.configure(priority=-waiting).defer(job_id=job.pk)
    return job


def cancel_print(job: PrintJob) -> None:
    """Cancel a print that is not finished; the worker stops at its next block."""
    PrintJob.objects.filter(pk=job.pk, state__in=PrintJob.OPEN).update(state=PrintJob.State.CANCELLED)
    tell_of(job)
