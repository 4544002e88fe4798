"""Connections that send slowly, or nothing, hold up nobody else."""

import io
import socket
from collections.abc import Iterator
from contextlib import ExitStack

import pytest
from django.db import connection

from hallweb.server import AT_ONCE, Places
from tests.web.factories import make_user
from tests.web.processes import Browser, free_port, process, server_at, wait_for

HALF_HEADER = b"GET / HTTP/1.1\r\nHost: localhost\r\nX-Slow: "
HALF_BODY = b"POST /accounts/login/ HTTP/1.1\r\nHost: localhost\r\nContent-Length: 60000\r\n\r\nlogin=a"


@pytest.fixture
def served(transactional_db) -> Iterator[tuple[Browser, list[socket.socket]]]:
    """Give a browser that a web process answers, and 64 connections more to it."""
    port = free_port()
    browser = Browser(make_user(), port)
    with process(*server_at(port)), ExitStack() as stack:
        wait_for(browser.is_answered)
        yield browser, [stack.enter_context(socket.create_connection(("127.0.0.1", port))) for _ in range(64)]


@pytest.mark.slow
def test_with_64_connections_that_never_finish_their_request_others_are_answered(served) -> None:
    browser, slow = served
    for number, each in enumerate(slow):
        each.sendall(HALF_HEADER if number % 2 else HALF_BODY)
    for _ in range(5):
        assert b"Songs" in browser.get("/")


@pytest.mark.slow
def test_many_clients_at_once_do_not_use_up_the_databases_connections(served) -> None:
    browser, slow = served
    before = sessions()
    asked = f"GET / HTTP/1.1\r\nHost: localhost\r\nCookie: {browser.cookie}\r\n"
    for each in slow:
        each.sendall(asked.encode())
    for each in slow:
        each.sendall(b"\r\n")
    for each in slow:
        assert each.makefile("rb").readline() == b"HTTP/1.1 200 OK\r\n"
    assert sessions() - before <= AT_ONCE + 2


def sessions() -> int:
    """Return how many connections the database has."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT count(*) FROM pg_stat_activity WHERE datname = current_database()")
        return int(cursor.fetchone()[0])


def heard(body: bytes, length: str, kind: str = "application/x-www-form-urlencoded") -> tuple[str, bytes]:
    """Return the status and what the application within saw of a body."""
    seen: list[bytes] = []

    def application(environ, start_response):
        seen.append(environ["wsgi.input"].read(int(environ["CONTENT_LENGTH"])))
        start_response("200 OK", [])
        return []

    status: list[str] = []
    environ = {"CONTENT_LENGTH": length, "CONTENT_TYPE": kind, "wsgi.input": io.BytesIO(body)}
    list(Places(application)(environ, lambda line, _: status.append(line)))
    return status[0], b"".join(seen)


def test_a_form_that_broke_off_is_refused_and_a_part_of_an_upload_is_kept() -> None:
    assert heard(b"a=1", "3") == ("200 OK", b"a=1")
    assert heard(b"a=", "3") == ("400 Bad Request", b"")
    assert heard(b"abc", "9", "application/octet-stream") == ("200 OK", b"abc")
