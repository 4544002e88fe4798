"""Removing prints and their files: by hand, or when their time is over."""

from django.utils import timezone

from hallweb.handoff.models import PrintJob
from hallweb.songs.files import print_folder
from hallweb.songs.lasting import forget


def remove_print(job: PrintJob) -> None:
    """Remove a print that is finished, and its files."""
    if not job.is_open:
        folder = print_folder(job.pk)
        job.delete()
        forget(folder)


def remove_old_prints() -> None:
    """Remove the prints whose time is over, but for those that an open link lets hear."""
    heard = PrintJob.objects.filter(linked__link__revoked=None, linked__link__expires__gt=timezone.now())
    for job in PrintJob.objects.exclude(state__in=PrintJob.OPEN).exclude(pk__in=heard):
        if job.kept_until < timezone.now():
            remove_print(job)
