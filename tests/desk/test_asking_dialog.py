"""What was typed in a form is asked about before it goes: by Esc, another pick, closing."""

from __future__ import annotations

import pytest
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLineEdit, QMessageBox
from pytestqt.qtbot import QtBot

from rook_tally.core.alarms.channels import Channel, ChannelKind
from rook_tally.core.remarks import Remark
from rook_tally.core.timestamps import HOUR_US
from rook_tally.desk.app.views import STATIONS, WALL, WATCH
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.parts.remark_dialog import RemarkDialog
from rook_tally.desk.parts.value_dialog import ValueDialog
from rook_tally.desk.strip.actions import StripAction
from rook_tally.desk.wall.actions import WallAction
from rook_tally.desk.watch.channel_dialog import ChannelDialog
from rook_tally.store.alarms import save_channel, ways
from rook_tally.store.base import Store
from rook_tally.store.site import newest_requests, remarks, save_remark, sheets
from tests.builders import NOON_US, append, begin_series
from tests.desk.conftest import OpenDesk
from tests.desk.driving import PATIENCE_MS, answer, opened, to_strip

SHOP = Channel(name="the shop", sort=ChannelKind.MQTT, topic="shop/alarms")
YARD = Channel(name="the yard", sort=ChannelKind.WEBHOOK, url="https://fennel.example", secret="s")


@pytest.fixture
def window(store: Store, open_desk: OpenDesk, qtbot: QtBot) -> DeskWindow:
    append(store, begin_series(store), (NOON_US, 21.0))
    with store.write() as connection:
        save_remark(connection, Remark("idel", NOON_US - HOUR_US, None))
        for one in (SHOP, YARD):
            save_channel(connection, one)
    made = open_desk(held_clock(NOON_US))
    to_strip(qtbot, made)
    return made


@pytest.fixture
def form(window: DeskWindow, qtbot: QtBot) -> RemarkDialog:
    window.strip.do(StripAction.NEXT_REMARK)
    window.strip.do(StripAction.EDIT_REMARK)
    return opened(qtbot, window, RemarkDialog)


def _texts(store: Store) -> list[str]:
    with store.read() as connection:
        return [one.text for one in remarks(connection)]


def test_an_untouched_form_closes_without_a_word(
    form: RemarkDialog, window: DeskWindow, qtbot: QtBot
) -> None:
    with qtbot.waitSignal(form.finished, timeout=PATIENCE_MS):
        QTest.keyClick(form, Qt.Key.Key_Escape)
    assert not window.findChildren(QMessageBox)


@pytest.mark.parametrize(
    ("words", "text"), [("Save", "idle"), ("Discard", "idel"), ("Cancel", "idel")]
)
def test_esc_asks_about_what_was_typed(
    form: RemarkDialog, qtbot: QtBot, store: Store, words: str, text: str
) -> None:
    form.words.setText("idle")
    QTest.keyClick(form, Qt.Key.Key_Escape)
    assert form.isVisible()
    if words == "Cancel":
        answer(qtbot, form, words)
        assert (form.isVisible(), form.words.text()) == (True, "idle")
        form.discard()
    else:
        with qtbot.waitSignal(form.finished, timeout=PATIENCE_MS):
            answer(qtbot, form, words)
    assert _texts(store) == [text]


def test_what_cannot_be_saved_stays_with_its_error(form: RemarkDialog, qtbot: QtBot) -> None:
    form.start.setText("nonsense")
    form.close()
    answer(qtbot, form, "Save")
    assert (form.isVisible(), form.start.text()) == (True, "nonsense")
    assert "nonsense" in form.problem.text()
    form.discard()


def test_the_window_asks_before_it_takes_a_form_with_it(
    form: RemarkDialog, window: DeskWindow, qtbot: QtBot
) -> None:
    form.words.setText("idle")
    window.close()
    assert window.isVisible()
    answer(qtbot, form, "Discard")
    qtbot.waitUntil(lambda: not window.isVisible(), timeout=PATIENCE_MS)


@pytest.fixture
def channels(window: DeskWindow, qtbot: QtBot) -> ChannelDialog:
    view = window.watch
    window.show_view(WATCH)
    qtbot.waitUntil(lambda: view.model.listing is not None, timeout=PATIENCE_MS)
    view.show_ways()
    dialog = opened(qtbot, window, ChannelDialog)
    _pick(dialog, SHOP)
    return dialog


def _pick(dialog: ChannelDialog, way: Channel) -> None:
    (item,) = dialog.list.findItems(way.name, Qt.MatchFlag.MatchExactly)
    dialog.list.setCurrentItem(item)


def _topic(dialog: ChannelDialog) -> QLineEdit:
    field = dialog.fields["topic"]
    assert isinstance(field, QLineEdit)
    return field


def test_picking_another_channel_asks_about_the_one_in_hand(
    channels: ChannelDialog, qtbot: QtBot
) -> None:
    _topic(channels).setText("shop/bells")
    _pick(channels, YARD)
    answer(qtbot, channels, "Cancel")
    assert (channels.name.text(), _topic(channels).text()) == (SHOP.name, "shop/bells")
    assert channels.list.currentItem().text() == SHOP.name
    _pick(channels, YARD)
    answer(qtbot, channels, "Discard")
    qtbot.waitUntil(lambda: channels.name.text() == YARD.name, timeout=PATIENCE_MS)
    assert channels.list.currentItem().text() == YARD.name
    channels.discard()


def test_the_second_to_save_a_channel_sees_the_difference_and_no_password(
    channels: ChannelDialog, qtbot: QtBot, store: Store
) -> None:
    _topic(channels).setText("shop/bells")
    with store.write() as connection:
        save_channel(connection, Channel(name=SHOP.name, sort=SHOP.sort, topic="shop/gongs"))
    channels.keep.click()
    qtbot.waitUntil(
        lambda: "topic: shop/alarms → shop/gongs" in channels.why.text(), timeout=PATIENCE_MS
    )
    assert _topic(channels).text() == "shop/bells"

    qtbot.waitUntil(lambda: _base(channels).topic == "shop/gongs", timeout=PATIENCE_MS)
    channels.keep.click()
    qtbot.waitUntil(lambda: not channels.is_touched, timeout=PATIENCE_MS)
    assert _channel(store, SHOP.name).topic == "shop/bells"
    # A secret that the collector moved meanwhile is no difference, and stays where it is.
    _pick(channels, YARD)
    moved = Channel(name=YARD.name, sort=YARD.sort, url=YARD.url, apart="elsewhere")
    with store.write() as connection:
        save_channel(connection, moved)
    url = channels.fields["url"]
    assert isinstance(url, QLineEdit)
    url.setText("https://curlew.example")
    channels.keep.click()
    qtbot.waitUntil(lambda: not channels.is_touched, timeout=PATIENCE_MS)
    assert _channel(store, YARD.name) == replace(moved, url="https://curlew.example")


def _base(dialog: ChannelDialog) -> Channel:
    assert dialog._picked is not None
    return dialog._picked


def _channel(store: Store, name: str) -> Channel:
    with store.read() as connection:
        return next(one for one in ways(connection) if one.name == name)


def test_a_control_is_set_to_a_number_that_it_can_be(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    window.show_view(STATIONS)
    lines = window.stations.page.controls._lines
    qtbot.waitUntil(lambda: "interval" in lines, timeout=PATIENCE_MS)
    QTest.mouseClick(lines["interval"][0], Qt.MouseButton.LeftButton)
    dialog = opened(qtbot, window, ValueDialog)
    assert dialog.windowTitle() == "wall · Sampling interval"
    QTest.keyClicks(dialog.field, "9000")
    QTest.keyClick(dialog.field, Qt.Key.Key_Return)
    assert "3600" in dialog.problem.text()
    QTest.keyClick(dialog.field, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    QTest.keyClicks(dialog.field, "30")
    QTest.keyClick(dialog, Qt.Key.Key_Escape)
    assert dialog.isVisible()
    answer(qtbot, dialog, "Save")

    def asked() -> list[tuple[str, str, str]]:
        with store.read() as connection:
            return [(one.station, one.name, one.value) for one in newest_requests(connection)]

    qtbot.waitUntil(lambda: asked() == [("wall", "interval", "30")], timeout=PATIENCE_MS)


def test_a_sheet_is_renamed_and_its_new_name_asked_about(
    window: DeskWindow, store: Store, qtbot: QtBot
) -> None:
    def names() -> list[str]:
        with store.read() as connection:
            return [one.name for one in sheets(connection)]

    window.show_view(WALL)
    window.wall.do(WallAction.MATTERS)
    qtbot.waitUntil(lambda: window.wall.model.sheet is not None, timeout=PATIENCE_MS)
    window.wall.do(WallAction.RENAME)
    dialog = opened(qtbot, window, ValueDialog)
    dialog.field.selectAll()
    QTest.keyClicks(dialog.field, " ")
    QTest.keyClick(dialog.field, Qt.Key.Key_Return)
    assert dialog.problem.text() == "A sheet has a name."
    QTest.keyClicks(dialog.field, "Shop")
    QTest.keyClick(dialog, Qt.Key.Key_Escape)
    answer(qtbot, dialog, "Save")
    qtbot.waitUntil(lambda: names() == ["Shop"], timeout=PATIENCE_MS)
