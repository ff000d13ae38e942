"""The watchdog that the driver runs under when a bench asks for it."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

import msgspec
import pytest
from PySide6.QtWidgets import QApplication

from benchmarks.watchdog import WatchdogApplication

# A file for the times of all handlers; with it the site is a large and busy one.
WATCHDOG = os.environ.get("DRIVER_WATCHDOG")


@pytest.fixture(scope="session")
def qapp_cls() -> type[QApplication]:
    return WatchdogApplication if WATCHDOG else QApplication


@pytest.fixture(autouse=True)
def write_down_handlers(qapp: QApplication) -> Iterator[None]:
    yield
    if WATCHDOG and isinstance(qapp, WatchdogApplication):
        Path(WATCHDOG).write_bytes(msgspec.json.encode(qapp.took))
