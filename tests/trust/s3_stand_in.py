"""A stand-in for S3 on loopback, with an empty bucket."""

import http.client
import uuid
from collections.abc import Iterator
from contextlib import contextmanager

from moto.server import ThreadedMotoServer


@contextmanager
def bucket() -> Iterator[tuple[str, str]]:
    """Run a server; gives the bucket's name and the server's address."""
    server = ThreadedMotoServer(ip_address="127.0.0.1", port=0)
    server.start()
    _, port = server.get_host_and_port()
    name = f"lasting-{uuid.uuid4().hex}"  # of all servers in a process the buckets are one set
    asking = http.client.HTTPConnection("127.0.0.1", port)
    asking.request("PUT", f"/{name}")
    assert asking.getresponse().status == 200
    asking.close()
    try:
        yield name, f"http://127.0.0.1:{port}"
    finally:
        server.stop()
