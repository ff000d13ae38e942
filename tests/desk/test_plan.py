"""Plans in the window: put up, hung upon by mouse and keyboard, taken off, had back."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QDropEvent, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialog, QFileDialog
from pytestqt.qtbot import QtBot

from rook_tally.core.errors import UsageError
from rook_tally.core.plans import MOST_BYTES, MOST_SIDE, checked_picture
from rook_tally.desk.app.views import STATIONS
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.dialogs.changes import ChangesDialog
from rook_tally.desk.dialogs.in_reach import InReachDialog
from rook_tally.desk.dialogs.keys import KeysDialog
from rook_tally.desk.dialogs.leaves import LeavesDialog
from rook_tally.desk.dialogs.places import PlacesDialog
from rook_tally.desk.dialogs.site_file import SiteFileDialog
from rook_tally.desk.dialogs.site_settings import SiteDialog
from rook_tally.desk.dialogs.store_care import StoreCareDialog
from rook_tally.desk.parts.picture_file import picture_of_file
from rook_tally.desk.parts.plan_painter import mark_area
from rook_tally.desk.parts.value_dialog import ValueDialog
from rook_tally.desk.plan.canvas import STATION_MIME
from rook_tally.desk.plan.page import PlanPage
from rook_tally.desk.plan.site_tasks import SiteTask, more_tasks
from rook_tally.desk.plan.where_dialog import WhereDialog
from rook_tally.store.base import Store
from rook_tally.store.site import Site, describe_station, load_site
from tests.builders import begin_series, picture
from tests.desk.conftest import OpenDesk
from tests.desk.driving import opened

PATIENCE_MS = 30_000
OPENS: dict[SiteTask, type[QDialog]] = {
    SiteTask.SETTINGS: SiteDialog,
    SiteTask.PLACES: PlacesDialog,
    SiteTask.UNITS: ValueDialog,
    SiteTask.STORE: StoreCareDialog,
    SiteTask.DOORS: InReachDialog,
    SiteTask.ACCESS_KEYS: KeysDialog,
    SiteTask.LEAVES: LeavesDialog,
    SiteTask.CHANGES: ChangesDialog,
    SiteTask.READ_FILE: SiteFileDialog,
    SiteTask.SAVE_FILE: QFileDialog,
}


@pytest.fixture
def window(store: Store, open_desk: OpenDesk, qtbot: QtBot) -> DeskWindow:
    wall = begin_series(store).station
    door = begin_series(store, key="door", place="Shop").station
    with store.write() as connection:
        describe_station(connection, wall, notes="", latitude=50.35, longitude=-4.14)
        describe_station(connection, door, notes="", latitude=50.3503, longitude=-4.14)
    shown = open_desk()
    shown.show_view(STATIONS)
    qtbot.waitUntil(lambda: bool(shown.stations.fleet.rows), timeout=PATIENCE_MS)
    QTest.keyClick(shown, Qt.Key.Key_P)
    qtbot.waitUntil(shown.stations.plan.isVisible, timeout=PATIENCE_MS)
    return shown


def _site(store: Store) -> Site:
    with store.read() as connection:
        return load_site(connection)


def _marks(store: Store) -> dict[str, tuple[float, float]]:
    site = _site(store)
    keys = {one.id: one.key for one in site.stations}
    return {keys[number]: at for number, at in site.plans[0].marks.items()}


def _put_up(page: PlanPage, qtbot: QtBot, folder: Path) -> None:
    file = folder / "ground-floor.png"
    file.write_bytes(picture(300, 200))
    page.new.click()
    chooser = opened(qtbot, page, QFileDialog)
    chooser.fileSelected.emit(str(file))
    chooser.close()
    qtbot.waitUntil(lambda: page.model.plan is not None, timeout=PATIENCE_MS)


def _spot(page: PlanPage, x: float, y: float) -> QPoint:
    inside = page.canvas.inside
    return QPointF(inside.left() + x * inside.width(), inside.top() + y * inside.height()).toPoint()


def test_who_goes_on_to_the_plan_before_the_stations_are_read_stays_there(
    store: Store, open_desk: OpenDesk, qtbot: QtBot
) -> None:
    begin_series(store)
    window = open_desk()
    window.show_view(STATIONS)
    window.stations.to_plan.click()
    qtbot.waitUntil(lambda: window.stations.list.currentIndex().isValid(), timeout=PATIENCE_MS)
    assert window.stations.plan.isVisible()


def test_stations_are_dragged_to_where_they_hang_and_back(
    store: Store, window: DeskWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    page = window.stations.plan
    _put_up(page, qtbot, tmp_path)
    assert [one.name for one in _site(store).plans] == ["Ground floor"]
    # Dropped from the list.
    carried = QMimeData()
    carried.setData(STATION_MIME, b"wall")
    page.canvas.dropEvent(
        QDropEvent(
            QPointF(_spot(page, 0.25, 0.5)),
            Qt.DropAction.MoveAction,
            carried,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
    )
    qtbot.waitUntil(lambda: "wall" in _marks(store), timeout=PATIENCE_MS)
    assert _marks(store)["wall"] == pytest.approx((0.25, 0.5), abs=0.01)
    qtbot.waitUntil(lambda: bool(page.model.body and page.model.body.marks), timeout=PATIENCE_MS)
    # Carried with the mouse.
    begin, end = _spot(page, 0.25, 0.5), _spot(page, 0.75, 0.25)
    QTest.mousePress(page.canvas, Qt.MouseButton.LeftButton, pos=begin)
    QTest.mouseMove(page.canvas, begin + QPoint(30, 0))
    QTest.mouseMove(page.canvas, end)
    QTest.mouseRelease(page.canvas, Qt.MouseButton.LeftButton, pos=end)
    moved = _waiting(qtbot, store, lambda at: at[0] > 0.7)
    # And with the arrows.
    page.canvas.setFocus()
    QTest.keyClick(page.canvas, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    QTest.keyClick(page.canvas, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    # However quickly they are pressed, each is a step.
    steps = pytest.approx((moved[0] - 0.08, moved[1]), abs=1e-4)
    assert _waiting(qtbot, store, lambda at: at == steps) == steps
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=PATIENCE_MS)
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    back = pytest.approx((moved[0] - 0.04, moved[1]), abs=1e-4)
    _waiting(qtbot, store, lambda at: at == back)
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert _waiting(qtbot, store, lambda at: at == moved) == moved
    qtbot.waitUntil(
        lambda: page.model.body is not None and page.model.body.marks[0].x == moved[0],
        timeout=PATIENCE_MS,
    )
    QTest.keyClick(page.canvas, Qt.Key.Key_Delete)
    qtbot.waitUntil(lambda: not _marks(store), timeout=PATIENCE_MS)


def _waiting(
    qtbot: QtBot, store: Store, is_there: Callable[[tuple[float, float]], bool]
) -> tuple[float, float]:
    qtbot.waitUntil(lambda: is_there(_marks(store)["wall"]), timeout=PATIENCE_MS)
    return _marks(store)["wall"]


def test_a_station_says_where_it_hangs_and_is_opened(
    store: Store, window: DeskWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    page = window.stations.plan
    _put_up(page, qtbot, tmp_path)
    page.pick("door")
    assert page.hang.isVisible()
    assert "33 m from wall" in page.model.about()
    page.hang.click()
    qtbot.waitUntil(page.off.isVisible, timeout=PATIENCE_MS)
    photograph, none = tmp_path / "photo.png", tmp_path / "none.png"
    photograph.write_bytes(picture(40, 30))
    none.write_text("no picture")
    page.where.click()
    asked = opened(qtbot, page, WhereDialog)
    asked.words.setText("over the door")
    asked.take(str(none))
    assert "no picture" in asked.problem.text()
    asked.take(str(photograph))
    asked.main.click()
    qtbot.waitUntil(
        lambda: [one.hangs for one in _site(store).stations] == ["", "over the door"],
        timeout=PATIENCE_MS,
    )
    assert _site(store).stations[1].photograph_id is not None
    body = page.model.body
    assert body is not None
    where = mark_area(body.marks[0], page.canvas.inside).center().toPoint()
    QTest.mouseDClick(page.canvas, Qt.MouseButton.LeftButton, pos=where)
    qtbot.waitUntil(lambda: not page.isVisible(), timeout=PATIENCE_MS)
    picked = window.stations.model.picked
    assert picked is not None and picked.key == "door"


def test_a_plan_is_renamed_removed_and_had_back(
    store: Store, window: DeskWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    page = window.stations.plan
    _put_up(page, qtbot, tmp_path)
    rename, _, remove = page.edit.menu().actions()
    rename.trigger()
    asked = opened(qtbot, page, ValueDialog)
    asked.field.setText("Downstairs")
    asked.main.click()
    qtbot.waitUntil(lambda: _site(store).plans[0].name == "Downstairs", timeout=PATIENCE_MS)
    qtbot.waitUntil(lambda: page.model.plans[0].name == "Downstairs", timeout=PATIENCE_MS)
    remove.trigger()
    qtbot.waitUntil(lambda: not _site(store).plans, timeout=PATIENCE_MS)
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=PATIENCE_MS)
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: bool(_site(store).plans), timeout=PATIENCE_MS)


def test_pictures_are_brought_to_what_is_kept(qtbot: QtBot, tmp_path: Path) -> None:
    large, bomb, drawn = tmp_path / "large.png", tmp_path / "bomb.png", tmp_path / "drawn.svg"
    image = QImage(4000, 3000, QImage.Format.Format_RGB32)
    for y in range(0, 3000, 7):
        for x in range(0, 4000, 61):
            image.setPixel(x, y, (x * 7919 + y * 104729) & 0xFFFFFF)
    image.save(str(large))
    kept = checked_picture(picture_of_file(large))
    assert (kept.width, kept.height) == (MOST_SIDE, MOST_SIDE * 3 // 4)
    assert len(kept.body) <= MOST_BYTES
    bomb.write_bytes(picture(20_000, 20_000))
    assert bomb.stat().st_size < 1_000_000
    with pytest.raises(UsageError, match="20000 × 20000"):
        picture_of_file(bomb)
    drawn.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="30" height="20">'
        '<rect width="9" height="9"/></svg>'
    )
    assert checked_picture(picture_of_file(drawn)).width > 1000
    with pytest.raises(UsageError, match="cannot be read"):
        picture_of_file(tmp_path / "nowhere.png")
    (tmp_path / "huge.png").write_bytes(b"")
    with (tmp_path / "huge.png").open("wb") as file:
        file.truncate(200_000_000)
    with pytest.raises(UsageError, match="200 MB"):
        picture_of_file(tmp_path / "huge.png")


def test_everything_of_the_site_is_reached_from_its_page(window: DeskWindow, qtbot: QtBot) -> None:
    page = window.stations.plan
    for task, opens in OPENS.items():
        if task is SiteTask.SETTINGS:
            QTest.mouseClick(page.change, Qt.MouseButton.LeftButton)
        elif task is SiteTask.PLACES:
            QTest.mouseClick(page.places, Qt.MouseButton.LeftButton)
        else:
            words = dict(more_tasks())[task]
            (action,) = [one for one in page.more.menu().actions() if one.text() == words]
            action.trigger()
        opened(qtbot, window, opens).reject()
        qtbot.waitUntil(lambda: not window.dialogs.open, timeout=PATIENCE_MS)
