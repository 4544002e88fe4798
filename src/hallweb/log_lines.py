"""Log records as lines of JSON. Nothing of what a request says is in them: no form, no cookie, no token."""

import json
import logging
import re
from datetime import UTC, datetime

_TOKEN = re.compile(r"(/listen/|/join/|/reset/key/)[^/\s]+")


class JsonLines(logging.Formatter):
    """A record as one line: when, how bad, from where, in words, and its facts."""

    def format(self, record: logging.LogRecord) -> str:
        """Return the line of a record."""
        line = {
            "at": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "from": record.name,
            "words": _TOKEN.sub(r"\1...", record.getMessage()),
            **getattr(record, "facts", {}),
        }
        if record.exc_info:
            line["trace"] = self.formatException(record.exc_info)
        return json.dumps(line, ensure_ascii=False, default=str)
