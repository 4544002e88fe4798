"""Background tasks; each takes ids and may run twice."""

from django.db import connection
from procrastinate import RetryStrategy
from procrastinate.contrib.django import app


@app.task(name="print-song", retry=RetryStrategy(max_attempts=3, wait=2))
def print_song(job_id: int) -> None:
    """Print one song; see `hallweb.handoff.actions.run_print`."""
    from hallweb.handoff.actions import run_print

    try:
        run_print(job_id)
    finally:
        connection.close()  # the worker's threads are not Django's: nothing else would close it
