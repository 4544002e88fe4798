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

from hallweb.songs.notifications import LONGEST, listening_address, notify

_logger = logging.getLogger(__name__)

_CHANNEL = "segments_wanted"
_AGAIN_S = 2.0


@dataclass(frozen=True, slots=True)
class Call:
    """Which segments of a revision are wanted: of some lanes, in the order in which they are needed, `count` from `first` on."""

    song_id: int
    revision_id: int
    lanes: tuple[str, ...]
    first: int
    count: int
    request_id: str = ""


def call(wanted: Call) -> None:
    """Tell all processes that play sound."""
    said = json.dumps(asdict(wanted))
    if len(said) <= LONGEST:  # else rendered when they are asked for
        notify(_CHANNEL, said)


def listen(answer: Callable[[Call], None]) -> None:
    """Answer every call for as long as the process lives, on a thread of its own."""
    threading.Thread(target=_listen, args=(answer,), name="calls", daemon=True).start()


def _listen(answer: Callable[[Call], None]) -> None:
    while True:
        try:
            with psycopg.connect(**listening_address()) as listening:
                listening.execute(f"LISTEN {_CHANNEL}")
                for said in listening.notifies():
                    facts = json.loads(said.payload)
                    answer(Call(**{**facts, "lanes": tuple(facts["lanes"])}))
        except psycopg.Error as error:
            _logger.warning("calls for segments are not heard for a while: %s", error)
            time.sleep(_AGAIN_S)
