"""Connections to the database of threads that are none of Django's."""

from collections.abc import Iterator
from contextlib import contextmanager

from django.db import connection


@contextmanager
def own_connection() -> Iterator[None]:
    """Close the thread's connection once work is over: nothing else would, in a worker's thread. Also a decorator."""
    try:
        yield
    finally:
        connection.close()
