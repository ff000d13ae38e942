"""A window told to end by a signal, in the midst of whatever it does."""

from __future__ import annotations

import signal
import threading
from collections.abc import Iterator

import pytest
from PySide6.QtCore import QObject
from pytestqt.qtbot import QtBot

from rook_tally.cli.signals import EndOnSignal


@pytest.fixture
def parent() -> Iterator[QObject]:
    before = {one: signal.getsignal(one) for one in (signal.SIGTERM, signal.SIGINT)}
    yield QObject()
    for one, handler in before.items():
        signal.signal(one, handler)


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGINT])
def test_a_signal_that_comes_while_a_lock_is_held_waits_for_the_event_loop(
    qtbot: QtBot, parent: QObject, number: signal.Signals
) -> None:
    """Ending at once would wait for ever for what is held where the signal came."""
    held, ended = threading.Lock(), []

    def end() -> None:
        got = held.acquire(timeout=1)
        ended.append(got)
        if got:
            held.release()

    EndOnSignal(end, parent)
    with held:
        signal.raise_signal(number)
        assert ended == []
    qtbot.waitUntil(lambda: bool(ended))
    assert ended == [True]
