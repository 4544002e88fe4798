"""Asking for segments to be rendered: the process that takes an edit tells those that play sound, by PostgreSQL's notifications.

Which of them plays a song is for the front to choose, so all are told, and the one that has lately played it takes up the work.
"""

import json
import logging
import threading
import time
from collections.abc import Callable
from dataclasses import asdict, dataclass

import psycopg

from hallweb.songs.notifications import listening_address, notify

_logger = logging.getLogger(__name__)

_CHANNEL = "segments_wanted"  # an earlier version calls otherwise, on a channel of its own
_AGAIN_S = 2.0


@dataclass(frozen=True, slots=True)
class Call:
    """Which segments are heard next: `count` from `first` on, of a revision and of the one that it was made from.

    Of an edit that is only rehearsed, both are the revision that it would be made of. `heard` is how the plan is heard, as
    the end of an address says it, with the proposal that it would make.
    """

    song_id: int
    revision_id: int
    parent_id: int | None
    first: int
    count: int
    request_id: str = ""
    heard: str = ""

    @property
    def indices(self) -> range:
        """The numbers of the segments."""
        return range(self.first, self.first + self.count)


def call(wanted: Call) -> None:
    """Tell all processes that play sound."""
    notify(_CHANNEL, json.dumps(asdict(wanted)))


def listen(answer: Callable[[Call], None]) -> None:
    """Answer every call for as long as the process lives, on a thread of its own."""
    threading.Thread(target=_listen, args=(answer,), name="calls", daemon=True).start()


def _listen(answer: Callable[[Call], None]) -> None:
    while True:
        try:
            with psycopg.connect(**listening_address()) as listening:
                listening.execute(f"LISTEN {_CHANNEL}")
                for said in listening.notifies():
                    _answered(answer, said.payload)
        except psycopg.Error as error:
            _logger.warning("calls for segments are not heard for a while: %s", error)
            time.sleep(_AGAIN_S)


def _answered(answer: Callable[[Call], None], said: str) -> None:
    """Answer one call; a fault in one, such as a song that is gone by now, keeps no other from being heard."""
    try:
        answer(Call(**json.loads(said)))
    except Exception:
        _logger.exception("a call for segments was not answered: they are rendered when they are asked for")
