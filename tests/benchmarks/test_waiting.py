"""How benches and pictures wait for a window."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QTimer
from pytestqt.qtbot import QtBot

from benchmarks import desk as bench_desk
from benchmarks.desk import let_until
from rook_tally.core.errors import RookTallyError


def test_a_condition_that_held_for_a_moment_did_hold(qtbot: QtBot) -> None:
    """A view is up to date until the next reply, which may come while the wait ends."""
    looks: list[None] = []

    def holds_once() -> bool:
        looks.append(None)
        return len(looks) == 3

    let_until(holds_once)
    assert len(looks) == 3


def test_what_happens_meanwhile_is_waited_for(qtbot: QtBot) -> None:
    came: list[None] = []
    QTimer.singleShot(20, lambda: came.append(None))
    let_until(lambda: bool(came))
    assert came


def test_what_never_comes_is_an_error_in_words(
    qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(bench_desk, "_PATIENCE_S", 0.05)
    with pytest.raises(RookTallyError, match="did not come so far"):
        let_until(lambda: False)
