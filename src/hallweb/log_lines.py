"""Log records as lines of JSON. Nothing of what a request says is in them: no form, no cookie, no token."""

import json
import logging
import re
from contextvars import ContextVar
from datetime import UTC, datetime

REQUEST_ID: ContextVar[str] = ContextVar("request_id", default="")
"""Which request all that happens now goes back to."""

_TOKEN = re.compile(r"(/listen/|/join/|/reset/key/)[^/\s]+")


class JsonLines(logging.Formatter):
    """A record as one line: when, how bad, from where, for which request, in words, and its facts."""

    def format(self, record: logging.LogRecord) -> str:
        """Return the line of a record."""
        line = {
            "at": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "from": record.name,
            **({"request": REQUEST_ID.get()} if REQUEST_ID.get() else {}),
            "words": _TOKEN.sub(r"\1...", record.getMessage()),
            **getattr(record, "facts", {}),
        }
        if record.exc_info:
            line["trace"] = self.formatException(record.exc_info)
        return json.dumps(line, ensure_ascii=False, default=str)
