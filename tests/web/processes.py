"""Processes of the application that a test starts, and what talks to them."""

import http.client
import os
import signal
import socket
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.parse
import urllib.request
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path

from django.conf import settings
from django.db import connection
from django.test import Client

ROOT = Path(__file__).parents[2]
_TOKEN = "t" * 32


def environment(**more: str) -> dict[str, str]:
    """Return the environment of a process that works on the test's database and data folder."""
    database = connection.settings_dict
    return {
        **os.environ,
        "DJANGO_SETTINGS_MODULE": "hallweb.settings",
        "HH_DB_NAME": str(database["NAME"]),
        "HH_DB_PORT": str(database["PORT"]),
        "HH_DB_PASSWORD": str(database["PASSWORD"]),
        "HH_SECRET_KEY": settings.SECRET_KEY,
        "HH_DATA_DIR": str(settings.DATA_DIR),
        **more,
    }


@contextmanager
def process(*command: str) -> Iterator[subprocess.Popen]:
    """Run a command of the application on the test's data, in a group of its own that is killed in the end."""
    started = start([sys.executable, *command], environment())
    try:
        yield started
    finally:
        kill(started)


def start(command: Sequence[str], environment: Mapping[str, str]) -> subprocess.Popen:
    return subprocess.Popen(command, env=environment, cwd=ROOT, start_new_session=True)


class Kept:
    """A process of `bin/serve` that is started again when it is gone, as an operator's machine does."""

    def __init__(self, what: str, environment: Mapping[str, str], port: int | None = None) -> None:
        self.what, self._environment, self._port = what, environment, port
        self._is_over = threading.Event()
        self._process = self._start()
        self._keeping = threading.Thread(target=self._keep)
        self._keeping.start()

    def _start(self) -> subprocess.Popen:
        return start(["bin/serve", self.what], self._environment)

    def _keep(self) -> None:
        while not self._is_over.wait(0.1):
            if self._process.poll() is not None:
                self._process = self._start()

    def kill(self) -> None:
        kill(self._process)

    def is_there(self) -> bool:
        """Whether it runs, and answers if it has a port."""
        if self._port is None:
            return self._process.poll() is None
        with suppress(OSError), socket.create_connection(("127.0.0.1", self._port), 1):
            return True
        return False

    def end(self) -> None:
        self._is_over.set()
        self._keeping.join()
        kill(self._process)


def kill(started: subprocess.Popen) -> None:
    if started.poll() is None:
        os.killpg(started.pid, signal.SIGKILL)
        started.wait()


def wait_for(what: Callable[[], object]) -> None:
    for _ in range(1200):
        if what():
            return
        time.sleep(0.05)
    raise AssertionError("it never came")


class Browser:
    """Fetches from a server process with a user's session."""

    def __init__(self, user, port: int) -> None:
        client = Client()
        client.force_login(user)
        session = client.cookies[settings.SESSION_COOKIE_NAME].value
        self.cookie = f"{settings.SESSION_COOKIE_NAME}={session}; csrftoken={_TOKEN}"
        self._base = f"http://127.0.0.1:{port}"

    def get(self, address: str, **headers: str) -> bytes:
        with self.open(address, **headers) as answer:
            return answer.read()

    def open(self, address: str, **headers: str) -> http.client.HTTPResponse:
        asked = urllib.request.Request(self._base + address, headers={"Cookie": self.cookie, **headers})
        return urllib.request.urlopen(asked, timeout=60)

    def post(self, address: str, fields: Mapping[str, object] | bytes, **headers: str) -> bytes:
        body = fields if isinstance(fields, bytes) else urllib.parse.urlencode(fields).encode()
        kind = "application/octet-stream" if isinstance(fields, bytes) else "application/x-www-form-urlencoded"
        asked = {"Cookie": self.cookie, "X-CSRFToken": _TOKEN, "Content-Type": kind, **headers}
        with urllib.request.urlopen(urllib.request.Request(self._base + address, body, asked), timeout=60) as answer:
            return answer.read()

    def is_answered(self) -> bool:
        try:
            return bool(self.get("/"))
        except (urllib.error.URLError, ConnectionError):
            return False


def free_port() -> int:
    with socket.socket() as sock:
        sock.bind(("127.0.0.1", 0))
        return int(sock.getsockname()[1])


def server_at(port: int) -> tuple[str, ...]:
    """Return the command of a web process as bin/demo starts it."""
    bind = f"127.0.0.1:{port}"
    return (
        "-m",
        "gunicorn",
        "hallweb.wsgi",
        "--pythonpath",
        "src",
        "--config",
        "python:hallweb.server",
        "--bind",
        bind,
    )
