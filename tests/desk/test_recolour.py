"""Another theme in a window that stands: it looks as one made in it, and nothing else changes."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from rook_tally.core.alarms.definitions import Scope, Watch, WatchKind
from rook_tally.core.theme import LIGHT, NIGHT
from rook_tally.core.wall.definitions import PaneKind
from rook_tally.desk.app.views import BENCH, LEDGER, STATIONS, STRIP, VIEWS, WALL, WATCH, WORKINGS
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.dialogs.site_settings import SiteDialog
from rook_tally.store.alarms import save_watch
from rook_tally.store.base import Store
from rook_tally.store.site import save_sheet
from tests.builders import NOON_US
from tests.desk.driving import PATIENCE_MS, opened
from tests.wall.studio import Studio, pane, sheet_of

DUST = Watch(
    slug="dust",
    name="Dust",
    sort=WatchKind.ABOVE,
    scope=Scope(quantity="pm25", place="Glaze booth"),
    limit=25,
    unit="µg/m³",
    tell=("this desktop",),
)

# So many pictures in a row, with events between, say that nothing comes any more.
_ALIKE = 12


@pytest.fixture
def told(store: Store) -> Store:
    Studio(store).told_everything()
    with store.write() as connection:
        save_watch(connection, DUST, now_us=NOON_US)
        save_sheet(connection, sheet_of(pane(PaneKind.FIGURE, "pm25@glaze-booth")))
    return store


def _is_shown(window: DeskWindow, view: int) -> bool:
    if view == STRIP:
        return bool(window.strip.is_up_to_date)
    if view == WALL:
        return bool(window.wall.is_up_to_date and window.wall.model.faces)
    if view == WORKINGS:
        return bool(window.workings.is_up_to_date)
    if view == BENCH:
        return bool(window.bench.is_up_to_date)
    if view == WATCH:
        return bool(window.watch.is_up_to_date and window.watch.model.backtest.result is not None)
    if view == STATIONS:
        return bool(window.stations.model.is_answered and window.stations.model.page is not None)
    return bool(window.state.ribbons) and bool(window.ledger.panel._value.text())


def _picture(qtbot: QtBot, window: DeskWindow, view: int) -> QImage:
    window.show_view(view)
    qtbot.waitUntil(lambda: _is_shown(window, view), timeout=PATIENCE_MS)
    # What is read for it once it is shown.
    qtbot.waitUntil(lambda: not window.client._reads, timeout=PATIENCE_MS)
    last = window.grab().toImage()
    alike = 0

    def is_at_rest() -> bool:
        nonlocal last, alike
        before, last = last, window.grab().toImage()
        alike = alike + 1 if before == last else 0
        return alike >= _ALIKE

    qtbot.waitUntil(is_at_rest, timeout=PATIENCE_MS)
    return last


def _open(qtbot: QtBot, store: Store, theme: object) -> DeskWindow:
    window = DeskWindow(store, clock=held_clock(NOON_US), theme=theme)  # type: ignore[arg-type]
    qtbot.addWidget(window)
    window.show()
    qtbot.waitUntil(lambda: window.state.is_loaded, timeout=PATIENCE_MS)
    return window


def test_no_two_roles_part_where_one_colour_stands_for_both() -> None:
    for one, other in ((LIGHT, NIGHT), (NIGHT, LIGHT)):
        pairs = set(zip(one.colours, other.colours, strict=True))
        assert len({mine for mine, _ in pairs}) == len(pairs)


@pytest.mark.window
@pytest.mark.parametrize("view", range(len(VIEWS)), ids=VIEWS)
def test_it_looks_as_if_it_had_been_made_so(qtbot: QtBot, told: Store, view: int) -> None:
    changed = _open(qtbot, told, LIGHT)
    before = _picture(qtbot, changed, view)
    changed.change_theme(NIGHT)
    found = _picture(qtbot, changed, view)
    changed.change_theme(LIGHT)
    again = _picture(qtbot, changed, view)
    changed.close()
    made = _open(qtbot, told, NIGHT)
    wanted = _picture(qtbot, made, view)
    made.close()
    assert _other_pixels(found, wanted) == 0, _where(found, wanted)
    assert _other_pixels(again, before) == 0, _where(again, before)
    assert (LIGHT.paper, NIGHT.paper) == ("#F5F2EA", "#1B1E27")


def _other_pixels(one: QImage, other: QImage) -> int:
    assert one.size() == other.size()
    return int(np.count_nonzero(_pixels(one) != _pixels(other)))


def _pixels(image: QImage) -> NDArray[np.uint32]:
    """(H, W): the colours, all at once: pixel by pixel they take longer than the windows."""
    told = image.convertToFormat(QImage.Format.Format_RGB32)
    row = np.frombuffer(told.constBits(), np.uint32).reshape(told.height(), -1)
    return row[:, : told.width()].copy()


def _where(one: QImage, other: QImage) -> str:
    rows, columns = np.nonzero(_pixels(one) != _pixels(other))
    return f"x {columns.min()} to {columns.max()}, y {rows.min()} to {rows.max()}"


def test_a_dialog_and_what_is_typed_in_it_stay(qtbot: QtBot, told: Store) -> None:
    window = _open(qtbot, told, LIGHT)
    window.show_view(LEDGER)
    window.dialogs.show_site()
    dialog = opened(qtbot, window, SiteDialog)
    qtbot.waitUntil(dialog.isEnabled, timeout=PATIENCE_MS)
    dialog.name.setText("Fennel Wharf")
    window.change_theme(NIGHT)
    assert dialog.isVisible()
    assert dialog.name.text() == "Fennel Wharf"
    assert not _holds(dialog, LIGHT.sheet)
    dialog.discard()
    window.close()


def _holds(widget: QWidget, name: str) -> bool:
    """True if most of a widget is of a colour."""
    QApplication.processEvents()
    picture = widget.grab().toImage()
    corner = picture.pixelColor(2, picture.height() - 3)
    return corner.name(corner.NameFormat.HexRgb).upper() == name
