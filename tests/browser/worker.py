"""The worker, for one round."""

import asyncio
from concurrent.futures import ThreadPoolExecutor

from asgiref.sync import sync_to_async
from django.db import connections
from procrastinate.contrib.django import app

from hallweb.handoff.tasks import retry_stalled


def run_worker() -> None:
    """Work off the queue once, as the worker process does; what goes wrong there goes wrong here."""
    worker = app.with_connector(app.connector.get_worker_connector())

    def work() -> None:
        # What is deferred every minute goes through a thread that outlives this round; so may its connection, while the database does not.
        asyncio.run(sync_to_async(connections.close_all)())
        try:
            worker.run_worker(wait=False, install_signal_handlers=False, listen_notify=False)
        finally:
            connections.close_all()

    with ThreadPoolExecutor(1) as pool:  # a thread of its own: this one has Playwright's event loop
        pool.submit(work).result(60)


def give_back() -> None:
    """Do what the queue does every minute."""
    worker = app.with_connector(app.connector.get_worker_connector())

    class Context:
        """As much of a job's context as the task asks for."""

        app = worker

    async def run() -> None:
        async with worker.open_async():
            await retry_stalled.func(Context, 0)

    with ThreadPoolExecutor(1) as pool:  # a thread of its own: this one may have Playwright's event loop
        pool.submit(asyncio.run, run()).result(60)
