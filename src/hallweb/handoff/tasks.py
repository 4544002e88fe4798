"""Background tasks; each takes ids and may run twice."""

from procrastinate import JobContext, RetryStrategy
from procrastinate.contrib.django import app

from hallweb.handoff.printing import fail_lost_prints
from hallweb.handoff.removal import remove_old_prints
from hallweb.handoff.shares import end_shares, print_main, run_print, run_share
from hallweb.songs.connections import own_connection


@app.task(name="print-song", retry=RetryStrategy(max_attempts=3, wait=2))
@own_connection()
def print_song(job_id: int) -> None:
    """Print one song; see `hallweb.handoff.shares.run_print`."""
    run_print(job_id)


@app.task(name="print-share", retry=RetryStrategy(max_attempts=3, wait=2))
@own_connection()
def print_share(job_id: int, key: str) -> None:
    """Do one share of a print; see `hallweb.handoff.shares`."""
    run_share(job_id, key)


@app.task(name="print-main", retry=RetryStrategy(max_attempts=3, wait=2))
@own_connection()
def print_main_of(job_id: int) -> None:
    """Print main of the lanes of a print; see `hallweb.handoff.shares`."""
    print_main(job_id)


@app.task(name="print-end", retry=RetryStrategy(max_attempts=3, wait=2))
@own_connection()
def end_print_of(job_id: int) -> None:
    """End a print in shares; see `hallweb.handoff.shares`."""
    end_shares(job_id)


@app.periodic(cron="* * * * *")
@app.task(name="retry-stalled", queueing_lock="retry-stalled", pass_context=True)
async def retry_stalled(context: JobContext, timestamp: int) -> None:  # noqa: ARG001 - cron gives its time
    """Give the work of a worker that died back to the queue: it has sent no sign of life for half a minute."""
    for job in await context.app.job_manager.get_stalled_jobs(seconds_since_heartbeat=30):
        await context.app.job_manager.retry_job(job)


@app.periodic(cron="* * * * *")
@app.task(name="fail-lost-prints", queueing_lock="fail-lost-prints")
@own_connection()
def end_lost_prints(timestamp: int) -> None:  # noqa: ARG001 - cron gives its time
    """End prints whose work was given up; see `hallweb.handoff.printing.fail_lost_prints`."""
    fail_lost_prints()


@app.periodic(cron="17 * * * *")
@app.task(name="remove-old-prints", queueing_lock="remove-old-prints")
@own_connection()
def end_old_prints(timestamp: int) -> None:  # noqa: ARG001 - cron gives its time
    """Remove prints that were kept long enough; see `hallweb.handoff.removal.remove_old_prints`."""
    remove_old_prints()
