"""Where an operator names Redis, it holds what all processes have to know for a while."""

import subprocess
from collections.abc import Iterator

import pytest
import redis

from tests.web.factories import make_song, make_user
from tests.web.processes import Browser, environment, free_port, kill, start, wait_for

pytestmark = [pytest.mark.slow, pytest.mark.django_db(transaction=True)]


@pytest.fixture
def shared(tmp_path) -> Iterator[redis.Redis]:
    port = free_port()
    command = ["redis-server", "--port", str(port), "--bind", "127.0.0.1", "--save", "", "--dir", str(tmp_path)]
    server = subprocess.Popen(command, stdout=subprocess.DEVNULL, start_new_session=True)
    with redis.Redis(port=port) as client:
        yield client
    kill(server)


def test_two_processes_know_the_same_by_redis(shared) -> None:
    user = make_user()
    song = make_song(user)
    address = f"redis://127.0.0.1:{shared.connection_pool.connection_kwargs['port']}/0"
    ports = [free_port(), free_port()]
    started = [
        start(["bin/serve", "web"], environment(HH_REDIS=address, HH_BIND=f"127.0.0.1:{port}", HH_BEHIND_FRONT="0"))
        for port in ports
    ]
    try:
        first, second = (Browser(user, port) for port in ports)
        wait_for(first.is_answered)
        wait_for(second.is_answered)
        for browser in (first, second, first):
            assert b"finding-count" in browser.get(f"/songs/{song.pk}/findings/count/")
        names = [key.decode() for key in shared.scan_iter()]
        assert sum("measuring-findings-" in name for name in names) == 1  # one of them has begun
        assert sum("waiting-for-findings-" in name for name in names) == 1
    finally:
        for each in started:
            kill(each)
