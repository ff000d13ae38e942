"""The Wall in a real window: arranged by mouse and keys, shown on a whole screen."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialogButtonBox
from pytestqt.qtbot import QtBot

from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.theme import NIGHT
from rook_tally.core.wall.definitions import PaneKind
from rook_tally.core.wall.files import sheets_from_toml
from rook_tally.desk.app.views import STRIP, WALL
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.data.time_window import TimeWindow
from rook_tally.desk.wall.actions import WallAction
from rook_tally.desk.wall.series_picker import SeriesPicker
from rook_tally.desk.wall.share_dialog import ShareDialog
from rook_tally.desk.wall.show_dialog import ShowDialog
from rook_tally.store.base import Store
from rook_tally.store.site import page_devices, page_setting, save_sheet, sheets, show_in_unit
from tests.builders import MINUTE_US, NOON_US
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, menu_at, opened, press
from tests.wall.studio import Studio, pane, sheet_of

DUST = pane(PaneKind.FIGURE, "pm25@glaze-booth")
RIBBON = pane(PaneKind.RIBBON, "pm25@glaze-booth", "pm25@yard")
LAMPS = pane(PaneKind.LAMPS, "switch@glaze-booth", "@yard-post")


@pytest.fixture
def studio(store: Store) -> Studio:
    made = Studio(store)
    made.told_everything()
    return made


@pytest.fixture
def window(studio: Studio, open_desk: OpenDesk, qtbot: QtBot) -> DeskWindow:
    with studio.store.write() as connection:
        save_sheet(connection, sheet_of(DUST, RIBBON, LAMPS))
        save_sheet(connection, sheet_of(pane(PaneKind.STANDING), slug="rings", name="Rings"))
    made = open_desk(held_clock(NOON_US))
    made.resize(1280, 800)
    made.show_view(WALL)
    _until_shown(qtbot, made)
    return made


def _until_shown(qtbot: QtBot, window: DeskWindow) -> None:
    def is_shown() -> bool:
        model = window.wall.model
        panes = () if model.sheet is None else model.sheet.panes
        return bool(window.wall.is_up_to_date) and len(model.faces) == len(panes)

    qtbot.waitUntil(is_shown, timeout=PATIENCE_MS)


def _kept(store: Store) -> list[str]:
    with store.read() as connection:
        return [" ".join(one.kind.value for one in sheet.panes) for sheet in sheets(connection)]


def test_nothing_hangs_until_a_sheet_of_what_matters_is_asked_for(
    studio: Studio, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    window = open_desk(held_clock(NOON_US))
    window.show_view(WALL)
    qtbot.waitUntil(lambda: window.wall.model.listing is not None, timeout=PATIENCE_MS)
    assert window.wall.middle.currentWidget() is window.wall.empty
    window.wall.matters.click()
    _until_shown(qtbot, window)
    assert window.wall.middle.currentWidget() is window.wall.canvas
    assert _kept(studio.store) == ["ribbon columns dial lamps standing"]
    assert window.wall.bar.names["what-matters-now"].isChecked()


def test_a_pane_is_made_by_a_few_letters_with_the_fitting_kind_first(
    window: DeskWindow, qtbot: QtBot, store: Store
) -> None:
    QTest.keyClick(window.wall.canvas, Qt.Key.Key_N)
    dialog = opened(qtbot, window, SeriesPicker)
    QTest.keyClicks(dialog.typed, "moist")
    assert dialog.series.count() == 1
    assert dialog.kinds.item(0).text() == "Dial"
    QTest.keyClick(dialog.typed, Qt.Key.Key_Return)
    _until_shown(qtbot, window)
    qtbot.waitUntil(lambda: "dial" in _kept(store)[0], timeout=PATIENCE_MS)
    assert window.wall.model.faces[3].title == "Moisture"
    window.undo.undo()
    qtbot.waitUntil(lambda: "dial" not in _kept(store)[0], timeout=PATIENCE_MS)
    qtbot.waitUntil(lambda: len(window.wall.model.faces) == 3, timeout=PATIENCE_MS)


def test_a_hairline_is_dragged_and_a_pane_dropped_on_another(
    window: DeskWindow, qtbot: QtBot
) -> None:
    wall = window.wall
    canvas, model = wall.canvas, wall.model
    wall.do(WallAction.ARRANGE)
    assert wall.panel.isVisible()
    before = model.sheet.areas
    edge = canvas.rect_of(before[1])
    QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=QPoint(edge.left(), edge.center().y()))
    QTest.mouseMove(canvas, QPoint(edge.left() + canvas.width() // 8, edge.center().y()))
    assert model.sheet.areas[1].x == before[1].x + 3
    QTest.mouseRelease(
        canvas,
        Qt.MouseButton.LeftButton,
        pos=QPoint(edge.left() + canvas.width() // 8, edge.center().y()),
    )
    _until_shown(qtbot, window)
    sized = model.sheet.areas
    first, last = (canvas.rect_of(model.sheet.areas[at]).center() for at in (0, 2))
    QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=first)
    QTest.mouseMove(canvas, last)
    QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=last)
    _until_shown(qtbot, window)
    assert model.sheet.areas[0] == sized[2]
    for _ in range(2):
        window.undo.undo()
    qtbot.waitUntil(lambda: model.sheet.areas == before, timeout=PATIENCE_MS)


def test_panes_are_picked_moved_and_sized_by_keys(window: DeskWindow, qtbot: QtBot) -> None:
    wall = window.wall
    QTest.keyClick(wall.canvas, Qt.Key.Key_E)
    assert wall.canvas.is_arranged
    before = wall.model.sheet.areas
    QTest.keyClick(wall.canvas, Qt.Key.Key_Right)
    assert wall.model.picked == 1
    QTest.keyClick(wall.canvas, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert wall.model.sheet.areas[1].x == before[1].x - 1
    QTest.keyClick(wall.canvas, Qt.Key.Key_Left, Qt.KeyboardModifier.AltModifier)
    assert wall.model.sheet.areas == before
    QTest.keyClick(wall.canvas, Qt.Key.Key_Left, Qt.KeyboardModifier.ControlModifier)
    assert wall.model.sheet.areas[1] == before[0]
    QTest.keyClick(wall.canvas, Qt.Key.Key_Delete)
    _until_shown(qtbot, window)
    assert len(wall.model.sheet.panes) == 2


def test_the_picked_panes_page_alters_it(window: DeskWindow, qtbot: QtBot) -> None:
    wall = window.wall
    wall.arrange(True)
    panel, model = wall.panel, wall.model
    panel.title.setText("Dust")
    panel.title.editingFinished.emit()
    panel.limits["above"]["high"].setText("60")
    panel.limits["above"]["high"].editingFinished.emit()
    _until_shown(qtbot, window)
    assert (model.faces[0].title, model.faces[0].body.value.level.wording) == ("Dust", "settled")
    panel.limits["above"]["raised"].setText("70")
    panel.limits["above"]["raised"].editingFinished.emit()
    assert panel.trouble.text() == "Limits upwards rise from level to level."
    panel.limits["above"]["raised"].setText("many")
    panel.limits["above"]["raised"].editingFinished.emit()
    assert panel.trouble.text().startswith("'many' is no number")
    model.pick(1)
    panel.span.setEditText("soon")
    panel.span.lineEdit().editingFinished.emit()
    assert "no length of time" in panel.trouble.text()
    panel.span.setEditText("6 h")
    panel.span.lineEdit().editingFinished.emit()
    _until_shown(qtbot, window)
    assert model.faces[1].aside == "6 h · µg/m³"
    panel.kind.setCurrentIndex(panel.kind.findData(PaneKind.COLUMNS))
    panel.kind.activated.emit(panel.kind.currentIndex())
    _until_shown(qtbot, window)
    assert len(model.faces[1].body.columns) == 2


def test_a_trial_is_marked_in_the_pane_and_over_every_view(
    window: DeskWindow, qtbot: QtBot
) -> None:
    wall = window.wall
    wall.arrange(True)
    wall.panel.trial.setText("7")
    QTest.keyClick(wall.panel.trial, Qt.Key.Key_Return)
    assert wall.model.faces[0].is_trial
    assert "PM2.5 at Glaze booth is 7 instead of 58" in window.banner.text()
    wall.panel.levels[4].click()
    assert wall.model.faces[0].body.value.level.wording == "severe"
    wall.panel.end.click()
    assert not wall.model.faces[0].is_trial


def test_own_words_take_values(window: DeskWindow, qtbot: QtBot) -> None:
    wall = window.wall
    wall.arranging.add_pane(pane(PaneKind.WORDS))
    wall.arrange(True)
    wall.panel.words.setPlainText("Dust: ")
    wall.panel.words.moveCursor(wall.panel.words.textCursor().MoveOperation.End)
    wall.panel.put_in.click()
    dialog = opened(qtbot, window, SeriesPicker)
    QTest.keyClicks(dialog.typed, "pm2.5 glaze")
    QTest.keyClick(dialog.typed, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: wall.model.pane.text == "Dust: {pm25@glaze-booth}", timeout=PATIENCE_MS)
    _until_shown(qtbot, window)
    assert wall.model.faces[3].body.parts[1].text == "58"


def test_words_land_in_the_pane_they_were_typed_for(window: DeskWindow, qtbot: QtBot) -> None:
    wall = window.wall
    for _ in range(2):
        wall.arranging.add_pane(pane(PaneKind.WORDS))
    wall.arrange(True)
    wall.model.pick(3)
    wall.panel.words.setFocus()
    QTest.keyClicks(wall.panel.words, "Firing today")
    wall.model.pick(4)
    assert [one.text for one in wall.model.sheet.panes[3:]] == ["Firing today", ""]
    assert wall.panel.words.toPlainText() == ""
    QTest.keyClicks(wall.panel.words, "Closed")
    wall.model.show("rings")
    wall.model.show("now")
    assert [one.text for one in wall.model.sheet.panes[3:]] == ["Firing today", "Closed"]
    _until_shown(qtbot, window)


def test_the_rail_moves_it_into_the_past(window: DeskWindow, qtbot: QtBot) -> None:
    then_us = NOON_US - MINUTE_US
    window.state.show_window(TimeWindow(then_us - 3600_000_000, then_us, is_live=False))
    qtbot.waitUntil(
        lambda: (
            bool(window.wall.model.faces)
            and window.wall.model.faces[0].body is not None
            and window.wall.model.faces[0].body.value.text == "71"
        ),
        timeout=PATIENCE_MS,
    )


def test_sheets_fill_the_screen_turn_and_grow_dark(
    window: DeskWindow, qtbot: QtBot, studio: Studio
) -> None:
    QTest.keyClick(window, Qt.Key.Key_F11)
    show = window.wall.showing
    assert show is not None
    qtbot.waitUntil(lambda: show.isVisible() and show.isFullScreen(), timeout=PATIENCE_MS)
    assert show.cursor().shape() is Qt.CursorShape.BlankCursor
    qtbot.waitUntil(lambda: show.foot.accessibleName() == "next sheet in 20 s", timeout=PATIENCE_MS)
    show.tick(20.5)
    assert show.model.sheet.slug == "rings"
    # Whoever arranges a sheet beside it has it in hand still.
    assert window.wall.model.sheet.slug == "now"
    QTest.keyClick(show, Qt.Key.Key_Left)
    assert show.model.sheet.slug == "now"
    QTest.keyClick(show, Qt.Key.Key_Space)
    show.tick(60)
    assert show.model.sheet.slug == "now"
    assert show.foot.accessibleName() == "stays here; Space goes on"
    window.wall.do(WallAction.SHOWING)
    dialog = opened(qtbot, window, ShowDialog)
    dialog.begins.setTime(dialog.begins.time().fromString("11:00", "HH:mm"))
    dialog.ends.setTime(dialog.ends.time().fromString("13:00", "HH:mm"))
    press(dialog, QDialogButtonBox.StandardButton.Ok)
    show.tick(0)
    assert show.canvas._theme is NIGHT
    assert show._veil.isVisible()
    QTest.mouseClick(show.canvas, Qt.MouseButton.LeftButton, pos=QPoint(30, 30))
    assert show.leave.isVisible()
    show.leave.click()
    qtbot.waitUntil(lambda: window.wall.showing is None, timeout=PATIENCE_MS)


def test_a_double_click_or_escape_leaves_the_whole_screen(window: DeskWindow, qtbot: QtBot) -> None:
    for is_by_key in (True, False):
        window.wall.show_full()
        show = window.wall.showing
        assert show is not None
        qtbot.waitUntil(show.isVisible, timeout=PATIENCE_MS)
        if is_by_key:
            QTest.keyClick(show, Qt.Key.Key_Escape)
        else:
            QTest.mouseDClick(show.canvas, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(lambda: window.wall.showing is None, timeout=PATIENCE_MS)


def test_a_panes_numbers_are_typed_in_the_unit_shown_and_mean_the_same_in_another(
    studio: Studio, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    temperature = QUANTITIES["temperature"]
    fahrenheit = temperature.unit("°F")
    assert fahrenheit is not None
    with studio.store.write() as connection:
        save_sheet(connection, sheet_of(pane(PaneKind.DIAL, "temperature@kiln-room")))
        show_in_unit(connection, temperature, fahrenheit)
    window = open_desk(held_clock(NOON_US))
    window.show_view(WALL)
    _until_shown(qtbot, window)
    wall = window.wall
    wall.arrange(True)
    panel, model = wall.panel, wall.model
    assert panel._titles["range"].text() == "Range, °F"
    panel.high.setText("2,192")
    panel.high.editingFinished.emit()
    assert model.pane.high == pytest.approx(1200)
    assert panel.high.text() == "2192"
    for symbol, shown in (("°C", "1200"), ("°F", "2192"), ("", "2192")):
        panel.unit.activated.emit(panel.unit.findData(symbol))
        _until_shown(qtbot, window)
        assert (model.pane.unit, panel.high.text()) == (symbol, shown)
    assert model.pane.high == pytest.approx(1200)


def test_sheets_go_into_a_file_and_come_out_of_it(
    window: DeskWindow, qtbot: QtBot, tmp_path: Path, store: Store
) -> None:
    wall = window.wall
    path = tmp_path / "sheets.toml"
    wall.save(path)
    kept = sheets_from_toml(path.read_text())
    wall.do(WallAction.REMOVE)
    qtbot.waitUntil(lambda: len(_kept(store)) == 1, timeout=PATIENCE_MS)
    wall.read(path)
    qtbot.waitUntil(lambda: len(_kept(store)) == 2, timeout=PATIENCE_MS)
    path.write_text("format = 9")
    wall.read(path)
    assert "newer rook-tally; no sheet was changed" in wall.bar.trouble.text()
    assert {one.slug for one in kept} == {"now", "rings"}


def test_a_link_is_made_shown_once_and_revoked(
    window: DeskWindow, qtbot: QtBot, store: Store
) -> None:
    window.wall.do(WallAction.POCKET)
    dialog = opened(qtbot, window, ShareDialog)
    dialog.is_on.click()
    dialog.name.setText("Anna’s phone")
    dialog.make.click()
    qtbot.waitUntil(lambda: dialog.link.isVisible(), timeout=PATIENCE_MS)
    assert "/link/" in dialog.link.text()
    assert not dialog.code.pixmap().isNull()
    qtbot.waitUntil(lambda: dialog.devices.count() == 1, timeout=PATIENCE_MS)
    with store.read() as connection:
        assert page_setting(connection).is_on
    dialog.revoke.click()
    qtbot.waitUntil(lambda: dialog.devices.count() == 0, timeout=PATIENCE_MS)
    with store.read() as connection:
        assert page_devices(connection) == []
    assert not dialog.link.isVisible()
    dialog.close()


def test_enter_opens_what_a_pane_shows_in_the_strip(window: DeskWindow) -> None:
    QTest.keyClick(window.wall.canvas, Qt.Key.Key_Return)
    assert window.view == STRIP
    assert [one.quantity.slug for one in window.strip.model.series] == ["pm25"]


@pytest.mark.parametrize("size", [(800, 480), (1024, 640), (3840, 2160)])
def test_panes_are_inked_at_every_size(
    window: DeskWindow, qtbot: QtBot, size: tuple[int, int]
) -> None:
    """Every kind of pane, larger and smaller than it would like."""
    wall = window.wall
    for kind, shows in (
        (PaneKind.DIAL, "pm25@yard"),
        (PaneKind.DAY, "temperature@yard"),
        (PaneKind.TABLE, "temperature@everywhere/*"),
        (PaneKind.COLUMNS, "temperature@everywhere/*"),
        (PaneKind.FIGURE, "moon@yard"),
    ):
        wall.arranging.add_pane(pane(kind, shows))
    wall.arranging.add_pane(pane(PaneKind.WORDS, text="Firing, {pm25@yard} outside"))
    _until_shown(qtbot, window)
    wall.canvas.resize(*size)
    picture = wall.canvas.grab().toImage()
    for at, area in enumerate(wall.model.sheet.areas):
        rect = wall.canvas.rect_of(area).adjusted(2, 2, -2, -2)
        inside = picture.copy(rect)
        shades = {
            inside.pixel(x, y)
            for x in range(0, inside.width(), 2)
            for y in range(0, inside.height(), 2)
        }
        assert len(shades) > 1, f"pane {at} is empty"


def test_the_menu_of_a_pane_acts_on_it(window: DeskWindow, qtbot: QtBot, studio: Studio) -> None:
    canvas, model = window.wall.canvas, window.wall.model
    assert model.sheet is not None
    spot = canvas.rect_of(model.sheet.panes[2].area).center()
    assert {one.words for one in WallAction} <= set(menu_at(window, canvas, spot))
    assert model.picked == 2
    window.wall.do(WallAction.TAKE_AWAY)
    qtbot.waitUntil(lambda: _kept(studio.store)[0] == "figure ribbon", timeout=PATIENCE_MS)
