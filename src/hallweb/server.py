"""How gunicorn serves the application: more connections than work at a time, so that slow ones hold up nobody.

A thread reads a whole request first, its body up to the size of an upload's part, and only then waits for one of few places in
which the application works. A connection that sends nothing for a while is closed.
"""

import io
import socket
import struct
import sys
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from django.conf import settings
from gunicorn.workers.base import Worker

worker_class = "gthread"
workers = 1
threads = 96
timeout = 120
graceful_timeout = 20
loglevel = "warning"
keepalive = 75
limit_request_line = 8190
limit_request_fields = 60

SILENT_S = 15
"""How long a connection may send nothing in the middle of a request."""

AT_ONCE = 48 if settings.SERVES == "sound" else 8
"""How many requests are worked on at a time. Most of those for sound wait for their turn: an edit's may not wait outside for them."""

BUFFERED_BYTES = 5 << 20

SWITCHED_S = 0.0005
"""How long a thread keeps the interpreter while another waits for it. Rendering asks for it between many short kernels, and may not
wait each time while a request is answered; Python's own is ten times as long."""

Start = Callable[..., Any]
Application = Callable[[dict[str, Any], Start], Iterable[bytes]]


def post_worker_init(worker: Worker) -> None:
    """Let every accepted socket give up reading after a while; it has its options from the one that listens.

    A process for sound begins to hear what others call for, and to bound what its machine keeps.
    """
    for listener in worker.sockets:
        listener.sock.setsockopt(socket.SOL_SOCKET, socket.SO_RCVTIMEO, struct.pack("ll", SILENT_S, 0))
    sys.setswitchinterval(SWITCHED_S)
    if settings.SERVES == "sound":
        from hallweb.audition.ahead import answer_calls
        from hallweb.songs.tidying import bound_copies_hourly

        answer_calls()
        bound_copies_hourly()


class Places:
    """A WSGI application that lets few requests at a time into another, each with its body read already.

    They are worked on by as many threads and no others: a thread keeps its connection to the database, of which there are few.
    """

    def __init__(self, application: Application, at_once: int = AT_ONCE) -> None:
        self._application = application
        self._places = ThreadPoolExecutor(at_once, thread_name_prefix="place")

    def __call__(self, environ: dict[str, Any], start_response: Start) -> Iterable[bytes]:
        """Answer a request; a form whose connection broke is refused, of a part of an upload what came is kept."""
        length = environ.get("CONTENT_LENGTH") or "0"
        if length.isascii() and length.isdecimal() and 0 < int(length[:18]) <= BUFFERED_BYTES:
            body = _read(environ["wsgi.input"], int(length))
            if len(body) < int(length) and environ.get("CONTENT_TYPE") != "application/octet-stream":
                start_response("400 Bad Request", [("Content-Type", "text/plain")])
                return [b"The request broke off; send it again."]
            environ["CONTENT_LENGTH"], environ["wsgi.input"] = str(len(body)), io.BytesIO(body)
        return self._places.submit(self._application, environ, start_response).result()


def _read(stream: Any, length: int) -> bytes:  # noqa: ANN401 - any that reads
    """Return what arrives of a body before its connection breaks or falls silent."""
    body = bytearray()
    try:
        while len(body) < length and (chunk := stream.read(min(65536, length - len(body)))):
            body += chunk
    except OSError:
        pass
    return bytes(body)
