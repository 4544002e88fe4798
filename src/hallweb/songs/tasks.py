"""Background tasks of songs."""

from datetime import timedelta

from django.utils import timezone
from procrastinate import JobContext
from procrastinate.builtin_tasks import remove_old_jobs
from procrastinate.contrib.django import app

from hallweb.songs.connections import own_connection
from hallweb.songs.removal import remove_long_deleted
from hallweb.songs.tidying import tidy
from hallweb.songs.uploads import drop_begun_before

_KEPT = timedelta(days=2)


@app.periodic(cron="17 * * * *")
@app.task(name="drop-old-uploads", queueing_lock="drop-old-uploads")
@own_connection()
def drop_old_uploads(timestamp: int) -> None:  # noqa: ARG001 - cron gives its time
    """Forget uploads that broke off two days ago."""
    drop_begun_before(timezone.now() - _KEPT)


@app.periodic(cron="41 3 * * *")
@app.task(name="remove-deleted-songs", queueing_lock="remove-deleted-songs")
@own_connection()
def remove_deleted_songs(timestamp: int) -> None:  # noqa: ARG001 - cron gives its time
    """Remove songs that were deleted weeks ago, with their files."""
    remove_long_deleted()


@app.periodic(cron="23 4 * * *")
@app.task(name="tidy", queueing_lock="tidy")
@own_connection()
def tidy_up(timestamp: int) -> None:  # noqa: ARG001 - cron gives its time
    """Remove what is kept only to be quick and nobody needs any more."""
    tidy()


@app.periodic(cron="53 4 * * *")
@app.task(name="remove-old-jobs", queueing_lock="remove-old-jobs", pass_context=True)
async def remove_finished_jobs(context: JobContext, timestamp: int) -> None:  # noqa: ARG001 - cron gives its time
    """Forget jobs that ended a week ago."""
    await remove_old_jobs(context, max_hours=24 * 7, remove_failed=True, remove_cancelled=True, remove_aborted=True)
