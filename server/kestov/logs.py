"""The log as one line JSON, for those who collect them (``KESTOV_LOG=json``): what happened, when, to which request."""

from __future__ import annotations

import json
import logging
from datetime import UTC, datetime

from people import asked

#: What a record may carry beside its words (`kestov.door` adds it to each request).
_MORE = ("method", "path", "status", "ms", "address", "id")


class Lines(logging.Formatter):
    """A record as JSON on one line."""

    def format(self, record: logging.LogRecord) -> str:
        line = {
            "at": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "logger": record.name,
            "words": record.getMessage(),
            "id": asked.current(),
        }
        line |= {k: v for k in _MORE if (v := getattr(record, k, None)) is not None}
        if record.exc_info:
            line["trace"] = self.formatException(record.exc_info)
        return json.dumps(line, ensure_ascii=False, default=str)
