"""The tray: the site in a line, and its worst level in strokes."""

from __future__ import annotations

from pytestqt.qtbot import QtBot

from rook_tally.core.quantities.levels import Level, Limits
from rook_tally.core.theme import LIGHT, NIGHT
from rook_tally.desk.app.tray import Tray, tray_picture, tray_words
from rook_tally.desk.data.clock import held_clock
from rook_tally.store.base import Store
from tests.builders import NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS


def test_the_tray_follows_the_site(qtbot: QtBot, store: Store, open_desk: OpenDesk) -> None:
    series = begin_series(store, limits=Limits(above=(20, 25, 30, 40)))
    append(store, series, (NOON_US - 5, 19.0))
    window = open_desk(held_clock(NOON_US))
    tray = Tray(window.theme, window.state, window)
    assert tray.icon.toolTip() == "Rook Tally: all settled; 1 of 1 heard"
    append(store, series, (NOON_US - 1, 31.0))
    qtbot.waitUntil(
        lambda: tray.icon.toolTip() == "Rook Tally: 1 past a limit, worst high; 1 of 1 heard",
        timeout=PATIENCE_MS,
    )
    assert tray_words(window.state) == tray.icon.toolTip()
    asked = []
    tray.shown_wanted.connect(lambda: asked.append("shown"))
    tray.menu.actions()[0].trigger()
    assert asked == ["shown"]


def test_each_level_is_drawn_with_its_strokes(qtbot: QtBot) -> None:
    for theme in (LIGHT, NIGHT):
        pictures = {level: tray_picture(theme, level).toImage() for level in Level}
        # Settled and noticed show the mark; from raised on each looks different.
        assert pictures[Level.SETTLED] == pictures[Level.NOTICED]
        told = [pictures[level] for level in (Level.NOTICED, *list(Level)[2:])]
        assert all(one != other for at, one in enumerate(told) for other in told[:at])
        middle = pictures[Level.HIGH]
        row = [middle.pixelColor(x, 32).name() for x in range(64)]
        strokes = sum(
            row[at] != row[at - 1] and row[at] == theme.level(Level.HIGH).lower()
            for at in range(1, 64)
        )
        assert strokes == Level.HIGH
