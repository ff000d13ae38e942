"""Logs: structured lines on stderr, never on stdout."""

from __future__ import annotations

import logging
import sys

import structlog


def log_to_stderr() -> None:
    """Send our log lines to stderr, for a person on a terminal and as `key=value` elsewhere."""
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso"),
            structlog.processors.format_exc_info,
            structlog.processors.KeyValueRenderer(key_order=["timestamp", "level", "event"]),
        ],
        wrapper_class=structlog.make_filtering_bound_logger(logging.INFO),
        logger_factory=structlog.PrintLoggerFactory(sys.stderr),
    )
