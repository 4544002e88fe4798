"""News come from the database to the pages of a song, by server-sent events."""

import asyncio
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager, suppress

import pytest
from django.db import connection, transaction

from hallweb.asgi import News
from hallweb.handoff.actions import cancel_print, start_print
from hallweb.songs import news
from hallweb.songs.actions import edit_plan, undo
from highhall.plan.edits import rename_song
from tests.web.factories import make_song, make_user

pytestmark = pytest.mark.django_db(transaction=True)


class Page:
    """What an ASGI server would be to the application, for one request."""

    def __init__(self, application: News, path: str) -> None:
        self.came, self._is_left = asyncio.Queue(), asyncio.Event()
        scope = {"type": "http", "path": path}
        self.request = asyncio.create_task(application(scope, self._receive, self.came.put))

    async def _receive(self) -> dict:
        await self._is_left.wait()
        return {"type": "http.disconnect"}

    async def status(self) -> int:
        return (await self.came.get())["status"]

    async def words(self, last: str) -> list[str]:
        """Wait until a word comes that begins so; return all that came."""
        words = []
        while not words or not words[-1].startswith(last):
            body = (await asyncio.wait_for(self.came.get(), 30))["body"].decode()
            words += [line.removeprefix("data: ") for line in body.splitlines() if line.startswith("data: ")]
        return words

    async def leave(self) -> None:
        self._is_left.set()
        await self.request


@asynccontextmanager
async def living(application: News) -> AsyncIterator[None]:
    """Run the application from start to end, as soon as it listens."""
    told, said = asyncio.Queue(), asyncio.Queue()
    life = asyncio.create_task(application({"type": "lifespan"}, told.get, said.put))
    await told.put({"type": "lifespan.startup"})
    assert (await said.get())["type"] == "lifespan.startup.complete"
    while await status_of(application, "/ready/") != 200:
        await asyncio.sleep(0.02)
    yield
    await told.put({"type": "lifespan.shutdown"})
    assert (await said.get())["type"] == "lifespan.shutdown.complete"
    await life


async def status_of(application: News, path: str) -> int:
    page = Page(application, path)
    await page.request
    return await page.status()


async def opened(application: News, song_id: int) -> Page:
    page = Page(application, f"/songs/{song_id}/newest/stream/")
    assert await page.status() == 200
    assert (await page.came.get())["body"] == b"retry: 500\n\n"
    return page


def test_pages_hear_of_edits_undo_and_prints_of_their_song_alone() -> None:
    user = make_user()
    song, other = make_song(user), make_song(user)
    application = News()

    def work() -> None:
        edit_plan(other.pk, 1, "Rename", lambda plan: rename_song(plan, "Elsewhere"), user)
        edit_plan(song.pk, 1, "Rename", lambda plan: rename_song(plan, "Here"), user)
        undo(song.pk, 2)
        job = start_print(song, song.head, user, {})
        cancel_print(job)
        connection.close()

    async def listen() -> tuple[list[str], list[str]]:
        async with living(application):
            pages = [await opened(application, each.pk) for each in (song, other)]
            await asyncio.to_thread(work)
            heard = await pages[0].words("print-"), await pages[1].words("plan")
            for page in pages:
                await page.leave()
            return heard

    here, elsewhere = asyncio.run(listen())
    assert here[0] == "plan"
    assert elsewhere == ["plan"]


def test_nothing_is_told_of_what_was_not_stored() -> None:
    song = make_song(make_user())
    application = News()

    def work() -> None:
        with suppress(RuntimeError), transaction.atomic():
            news.tell(song.pk, "lost")
            raise RuntimeError
        news.tell(song.pk, "kept")
        connection.close()

    async def listen() -> list[str]:
        async with living(application):
            page = await opened(application, song.pk)
            await asyncio.to_thread(work)
            words = await page.words("kept")
            await page.leave()
            return words

    assert asyncio.run(listen()) == ["kept"]


def test_a_page_that_is_slow_is_told_each_word_once() -> None:
    application = News()

    async def listen() -> bytes:
        async with living(application):
            page = await opened(application, 5)
            for _ in range(1000):
                application.tell(5, ["plan", "stems"])
            told = (await page.came.get())["body"]
            await page.leave()
            return told

    assert asyncio.run(listen()) == b"data: plan\n\ndata: stems\n\n"


def test_streams_end_with_the_connection_to_the_database_and_come_back_with_it() -> None:
    application = News()

    def kill_listeners() -> None:
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND query LIKE 'LISTEN%'"
            )
        connection.close()

    async def listen() -> int:
        async with living(application):
            page = await opened(application, 5)
            await asyncio.to_thread(kill_listeners)
            await asyncio.wait_for(page.request, 30)
            assert await status_of(application, "/songs/5/newest/stream/") == 503
            assert await status_of(application, "/ready/") == 503
            assert await status_of(application, "/health/") == 200
            while await status_of(application, "/ready/") != 200:
                await asyncio.sleep(0.05)
            page = await opened(application, 5)
            await page.leave()
            return await status_of(application, "/songs/5/anything/")

    assert asyncio.run(listen()) == 404
