"""The ASGI entrance for gunicorn: a stream of news for each page that shows a song, as server-sent events (WHATWG HTML, 9.2).

A page that begins to listen asks for everything once; from then on each event is a word of `hallweb.songs.news`. Whoever listens has been
let in by the front, which asks the application. A stream ends after a while and is asked for again, so that this is asked again, too.
"""

import asyncio
import logging
import os
import re
from collections import defaultdict
from collections.abc import Awaitable, Callable, Iterable
from contextlib import suppress
from dataclasses import dataclass, field
from typing import Any

import psycopg
from django.conf import settings
from django.utils.log import configure_logging

from hallweb.songs.news import CHANNEL
from hallweb.songs.notifications import listening_address

_LASTS_S = 60.0
_BEAT_S = 15.0
"""How long nothing may be sent: then an empty line shows whether the page is still there."""

_AGAIN_S = 1.0
_STREAM = re.compile(r"/songs/(\d{1,18})/newest/stream/")

_logger = logging.getLogger(__name__)

Message = dict[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]


@dataclass(eq=False, slots=True)
class _Page:
    """Who listens, and what it was not told yet: a word once, however often it came meanwhile."""

    words: dict[str, None] = field(default_factory=dict)
    woken: asyncio.Event = field(default_factory=asyncio.Event)
    is_gone: bool = False

    def tell(self, words: Iterable[str]) -> None:
        self.words.update(dict.fromkeys(words))
        self.woken.set()

    def taken(self) -> list[str]:
        """Return what it was not told yet, and forget it."""
        self.woken.clear()
        words, self.words = list(self.words), {}
        return words


class News:
    """An ASGI application that tells pages what it hears from the database."""

    def __init__(self) -> None:
        self._pages: defaultdict[int, set[_Page]] = defaultdict(set)
        self._is_listening = False

    async def __call__(self, scope: Message, receive: Receive, send: Send) -> None:
        """Answer a request, or live from start to end."""
        if scope["type"] == "lifespan":
            await self._live(receive, send)
        elif stream := _STREAM.fullmatch(scope["path"]):
            await self._stream(int(stream[1]), receive, send)
        elif scope["path"] in {"/health/", "/ready/"}:
            await _answer(send, 200 if self._is_listening or scope["path"] == "/health/" else 503)
        else:
            await _answer(send, 404)

    def tell(self, song_id: int, words: Iterable[str]) -> None:
        """Tell all pages of a song something."""
        for page in self._pages.get(song_id, ()):
            page.tell(words)

    async def _live(self, receive: Receive, send: Send) -> None:
        await receive()
        listening = asyncio.create_task(self._listen())
        await send({"type": "lifespan.startup.complete"})
        await receive()
        listening.cancel()
        self._end_all()
        await send({"type": "lifespan.shutdown.complete"})

    async def _listen(self) -> None:
        while True:
            try:
                async with await psycopg.AsyncConnection.connect(**listening_address()) as listening:
                    await listening.execute(f"LISTEN {CHANNEL}")
                    self._is_listening = True
                    async for said in listening.notifies():
                        song_id, *words = said.payload.split()
                        self.tell(int(song_id), words)
            except psycopg.Error as error:
                _logger.warning("news are not heard for a while: %s", error)
            self._end_all()  # pages look for themselves until there are streams again
            await asyncio.sleep(_AGAIN_S)

    def _end_all(self) -> None:
        self._is_listening = False
        for pages in self._pages.values():
            for page in pages:
                page.woken.set()

    async def _stream(self, song_id: int, receive: Receive, send: Send) -> None:
        if not self._is_listening:
            await _answer(send, 503)
            return
        page = _Page()
        self._pages[song_id].add(page)
        leaving = asyncio.create_task(_until_gone(page, receive))
        over = asyncio.get_running_loop().time() + _LASTS_S
        try:
            await send(
                {
                    "type": "http.response.start",
                    "status": 200,
                    "headers": [
                        (b"content-type", b"text/event-stream"),
                        (b"cache-control", b"no-store"),
                        (b"x-content-type-options", b"nosniff"),
                    ],
                }
            )
            await _say(send, "retry: 500\n\n")
            while self._is_listening and not page.is_gone and (left := over - asyncio.get_running_loop().time()) > 0:
                with suppress(asyncio.TimeoutError):
                    await asyncio.wait_for(page.woken.wait(), min(left, _BEAT_S))
                await _say(send, "".join(f"data: {word}\n\n" for word in page.taken()) or ":\n\n")
            await _say(send, "", is_more=False)
        except OSError:
            pass  # the page went away
        finally:
            leaving.cancel()
            self._pages[song_id].discard(page)
            if not self._pages[song_id]:
                del self._pages[song_id]


async def _until_gone(page: _Page, receive: Receive) -> None:
    while (await receive())["type"] != "http.disconnect":
        pass
    page.is_gone = True
    page.woken.set()


async def _say(send: Send, text: str, *, is_more: bool = True) -> None:
    await send({"type": "http.response.body", "body": text.encode(), "more_body": is_more})


async def _answer(send: Send, status: int) -> None:
    await send({"type": "http.response.start", "status": status, "headers": [(b"content-length", b"0")]})
    await _say(send, "", is_more=False)


os.environ.setdefault("DJANGO_SETTINGS_MODULE", "hallweb.settings")
configure_logging(settings.LOGGING_CONFIG, settings.LOGGING)
application = News()
