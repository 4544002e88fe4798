"""Work on items that need each other's results."""

from concurrent.futures import ThreadPoolExecutor

import pytest

from highhall.render import parallel
from highhall.render.parallel import InOrder

NEEDS = {"hall": {"echo", "room"}, "echo": set(), "room": set(), "plate": {"hall"}, "dry": set()}


@pytest.mark.parametrize("threads", [None, 1, 2, 4])
def test_each_item_is_worked_on_once_and_after_what_it_needs(threads: int | None) -> None:
    order = InOrder(NEEDS)
    with ThreadPoolExecutor(threads or 1) as pool:
        for _ in range(20):
            done: list[str] = []

            def work(item: str, done: list[str] = done) -> None:
                assert set(done) >= NEEDS[item]
                done.append(item)

            order.run(pool if threads else None, work)
            assert sorted(done) == sorted(NEEDS)


def test_the_longest_way_goes_first_by_what_items_took_before(monkeypatch) -> None:
    now = [0.0]
    monkeypatch.setattr(parallel.time, "perf_counter", lambda: now[0])
    takes = {"dry": 3.0, "echo": 1.0, "hall": 4.0, "room": 4.5, "plate": 0.5}
    order = InOrder({**NEEDS, "hall": {"echo"}})
    done: list[str] = []

    def work(item: str) -> None:
        now[0] += takes[item]
        done.append(item)

    with ThreadPoolExecutor(1) as pool:
        order.run(pool, work)
        done.clear()
        order.run(pool, work)
    assert done == ["echo", "hall", "plate", "room", "dry"]  # 5.5 s from the echo on, 4.5 from the room, 3 from dry


def test_an_error_is_raised_when_all_that_began_has_ended_and_what_waits_for_it_does_not_begin() -> None:
    done: list[str] = []

    def work(item: str) -> None:
        if item == "echo":
            raise ValueError(item)
        done.append(item)

    with ThreadPoolExecutor(2) as pool, pytest.raises(ValueError, match="echo"):
        InOrder(NEEDS).run(pool, work)
    assert sorted(done) == ["dry", "room"]
