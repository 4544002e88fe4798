"""PostgreSQL's notifications between processes: what a transaction sends arrives once it is stored, at all who listen just then."""

from typing import Any

from django.conf import settings
from django.db import connection


def notify(channel: str, said: str) -> None:
    """Send a notification as part of the transaction, if there is one."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", [channel, said])


def listening_address() -> dict[str, Any]:
    """Return how a connection is made that listens: it notices within half a minute that the database's machine is gone."""
    database = settings.DATABASES["default"]
    return {
        "host": database["HOST"],
        "port": database["PORT"],
        "dbname": database["NAME"],
        "user": database["USER"],
        "password": database["PASSWORD"],
        "autocommit": True,
        "keepalives_idle": 10,
        "keepalives_interval": 5,
        "keepalives_count": 3,
    }
