"""The worker, for one round."""

from concurrent.futures import ThreadPoolExecutor

from django.db import connections
from procrastinate.contrib.django import app


def run_worker() -> None:
    """Work off the queue once, as the worker process does; what goes wrong there goes wrong here."""
    worker = app.with_connector(app.connector.get_worker_connector())

    def work() -> None:
        try:
            worker.run_worker(wait=False, install_signal_handlers=False, listen_notify=False)
        finally:
            connections.close_all()

    with ThreadPoolExecutor(1) as pool:  # a thread of its own: this one has Playwright's event loop
        pool.submit(work).result(60)
