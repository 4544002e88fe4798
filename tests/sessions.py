"""Sessions of the test database that others have left."""

from django.db import connection


def end_other_sessions() -> None:
    """End every session but a new one of our own: what is left open would keep the test database from going."""
    connection.close()
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT pg_terminate_backend(pid) FROM pg_stat_activity "
            "WHERE datname = current_database() AND pid <> pg_backend_pid()"
        )
