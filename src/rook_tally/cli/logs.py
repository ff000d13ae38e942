"""Logs: structured lines on stderr, or in a file of the desk's; never on stdout."""

from __future__ import annotations

import logging
import logging.handlers
import sys
import threading
from collections.abc import Callable
from pathlib import Path
from types import TracebackType
from typing import Any

import structlog

_MOST_BYTES = 1_000_000
_KEPT_FILES = 3


def log_to_stderr() -> None:
    """Send our log lines to stderr, for a person on a terminal and as `key=value` elsewhere."""
    _configure(structlog.PrintLoggerFactory(sys.stderr))


def log_to_file(path: Path) -> None:
    """Send our log lines, and errors nobody caught, to a file; old lines make room for new ones."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        handler = logging.handlers.RotatingFileHandler(
            path, maxBytes=_MOST_BYTES, backupCount=_KEPT_FILES, encoding="utf-8"
        )
    except OSError:
        log_to_stderr()
        return
    lines = logging.getLogger("rook_tally.desk")
    lines.setLevel(logging.INFO)
    lines.propagate = False
    for earlier in lines.handlers:
        earlier.close()
    lines.handlers = [handler]
    _configure(lambda *_: lines)

    def uncaught(
        kind: type[BaseException], error: BaseException, trace: TracebackType | None
    ) -> None:
        structlog.get_logger(__name__).error("uncaught", exc_info=(kind, error, trace))
        sys.__excepthook__(kind, error, trace)

    def uncaught_in_thread(told: threading.ExceptHookArgs) -> None:
        if told.exc_value is not None:
            uncaught(told.exc_type, told.exc_value, told.exc_traceback)

    sys.excepthook = uncaught
    threading.excepthook = uncaught_in_thread


def _configure(factory: Callable[..., Any]) -> None:
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso"),
            structlog.processors.format_exc_info,
            structlog.processors.KeyValueRenderer(key_order=["timestamp", "level", "event"]),
        ],
        wrapper_class=structlog.make_filtering_bound_logger(logging.INFO),
        logger_factory=factory,
    )
