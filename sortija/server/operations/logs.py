"""The log: a line of words on the console, a line of JSON in a file that is turned over.

Each process writes a file of its own below ``SORTIJA_DATA/logs``, so that turning one over never
loses what another writes. What belongs to one request carries its id, what belongs to a job its
number.
"""

from __future__ import annotations

import json
import logging
from collections.abc import Mapping
from contextvars import ContextVar
from datetime import UTC, datetime
from pathlib import Path
from types import MappingProxyType
from typing import Any

__all__ = ["JsonLines", "about", "settings_for"]

#: What the present request or job is: its id, who asks, which study; each line tells it.
about: ContextVar[Mapping[str, Any]] = ContextVar("about", default=MappingProxyType({}))
_BYTES, _FILES = 10 << 20, 5


class JsonLines(logging.Formatter):
    """One JSON object a line: time, level, logger, message, and what it is about."""

    def format(self, record: logging.LogRecord) -> str:
        """A record as a line; whatever a message holds, it stays within its line."""
        told: dict[str, Any] = {
            "time": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname, "logger": record.name, "message": record.getMessage(),
            **about.get(), **getattr(record, "told", {}),
        }  # fmt: skip
        if record.exc_info:
            told["trace"] = self.formatException(record.exc_info)
        return json.dumps(told, ensure_ascii=True, default=str)


def settings_for(part: str, folder: Path, level: str) -> dict[str, Any]:
    """Django's ``LOGGING`` for one part of Sortija; one without a name writes to the console alone.

    Parameters
    ----------
    part : str
        Names the file: ``server``, ``quick``, ``long``.
    folder : Path
        Where the files lie; made when it is missing.
    level : str
        The least level of what is said on the console. The file has all from INFO on.
    """
    handlers: dict[str, Any] = {
        "console": {"class": "logging.StreamHandler", "formatter": "line", "level": level}
    }
    if part:
        folder.mkdir(parents=True, exist_ok=True)
        handlers["file"] = {
            "class": "logging.handlers.RotatingFileHandler", "formatter": "json",
            "filename": str(folder / f"{part}.log"), "maxBytes": _BYTES, "backupCount": _FILES,
            "delay": True, "encoding": "ascii",
        }  # fmt: skip
    return {
        "version": 1,
        "disable_existing_loggers": False,
        "formatters": {
            "line": {"format": "%(asctime)s %(levelname)s %(name)s: %(message)s"},
            "json": {"()": JsonLines},
        },
        "handlers": handlers,
        "loggers": {"sortija": {"level": "INFO"}, "django.request": {"level": "ERROR"}},
        "root": {"handlers": list(handlers), "level": "WARNING"},
    }
