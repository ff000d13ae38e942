"""Ways of telling, set up in the window."""

from __future__ import annotations

import pytest
from PySide6.QtWidgets import QLineEdit
from pytestqt.qtbot import QtBot

from rook_tally.core.alarms.channels import BUILT_IN, Channel, ChannelKind, Security
from rook_tally.core.alarms.sentences import Part
from rook_tally.core.errors import UsageError
from rook_tally.core.hours_of_day import HoursOfDay
from rook_tally.desk.app.views import WATCH
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.watch.channel_dialog import ChannelDialog
from rook_tally.desk.watch.channel_form import texts_of, way_from
from rook_tally.store.alarms import ways
from rook_tally.store.base import Store
from tests.alarming.conftest import DUST, Booth, at
from tests.desk.conftest import OpenDesk
from tests.desk.driving import opened

PATIENCE_MS = 20_000
MAIL = {
    "to": "wren@fennel.example, alder@fennel.example",
    "sender": "rook@fennel.example",
    "host": "mail.fennel.example",
    "security": "tls",
    "port": "",
    "user": "rook",
    "password": "clay",
    "quiet": "22:00-06:00",
    "digest": "",
}


def test_a_form_makes_a_way_and_a_way_fills_the_form() -> None:
    way = way_from("the workshop", ChannelKind.MAIL, MAIL, None)
    assert (way.to, way.port) == (("wren@fennel.example", "alder@fennel.example"), 465)
    assert way.security is Security.TLS
    assert way.quiet == HoursOfDay(begin_min=1320, end_min=360)
    shown = texts_of(way)
    assert shown["password"] == ""
    # What is not shown and not written again stays.
    assert way_from("the workshop", ChannelKind.MAIL, shown, way) == way
    hook = Channel(
        name="hook", sort=ChannelKind.WEBHOOK, url="https://h/", secret="s", digest_min=420
    )
    assert texts_of(hook)["digest"] == "07:00"
    assert way_from("hook", ChannelKind.WEBHOOK, texts_of(hook), hook) == hook


@pytest.mark.parametrize(
    ("sort", "changed", "why"),
    [
        (ChannelKind.MAIL, {"to": ""}, "needs a server, a sender"),
        (ChannelKind.MAIL, {"to": "wren"}, "is no mail address"),
        (ChannelKind.MAIL, {"port": "many"}, "is no port"),
        (ChannelKind.MAIL, {"digest": "noon"}, "no time of day"),
        (ChannelKind.MAIL, {"quiet": "when I sleep"}, "are no hours"),
        (ChannelKind.WEBHOOK, {"url": "fennel"}, "no address of a webhook"),
        (ChannelKind.MQTT, {"topic": "a/#"}, "no topic to send to"),
    ],
)
def test_a_form_that_cannot_be_meant_says_why(
    sort: ChannelKind, changed: dict[str, str], why: str
) -> None:
    with pytest.raises(UsageError, match=why):
        way_from("a way", sort, {**MAIL, **changed}, None)
    with pytest.raises(UsageError, match="needs a name"):
        way_from(" ", ChannelKind.MAIL, MAIL, None)


@pytest.fixture
def window(store: Store, open_desk: OpenDesk, qtbot: QtBot) -> DeskWindow:
    booth = Booth(store)
    booth.keep(DUST)
    booth.told(0, 5)
    made = open_desk(held_clock(at(1)))
    made.show_view(WATCH)
    qtbot.waitUntil(lambda: made.watch.model.listing is not None, timeout=PATIENCE_MS)
    return made


def _write(dialog: ChannelDialog, name: str, text: str) -> None:
    field = dialog.fields[name]
    assert isinstance(field, QLineEdit)
    field.setText(text)


def test_a_way_is_set_up_used_and_taken_away(
    window: DeskWindow, qtbot: QtBot, store: Store
) -> None:
    window.watch.sentence.ways_wanted.emit()
    dialog = opened(qtbot, window, ChannelDialog)
    assert dialog.list.count() == len(BUILT_IN) + 1
    dialog.name.setText("the workshop")
    dialog.keep.click()
    assert "needs a server" in dialog.why.text()
    for name in ("to", "sender", "host", "password"):
        _write(dialog, name, MAIL[name])
    dialog.keep.click()

    def names() -> list[str]:
        with store.read() as connection:
            return [one.name for one in ways(connection)]

    qtbot.waitUntil(lambda: "the workshop" in names(), timeout=PATIENCE_MS)
    password = dialog.fields["password"]
    assert isinstance(password, QLineEdit)
    qtbot.waitUntil(lambda: password.text() == "", timeout=PATIENCE_MS)
    assert password.echoMode() is QLineEdit.EchoMode.Password

    def offered() -> list[str]:
        return [one.words for one in window.watch.model.choices(Part.TELL)]

    # The list has it: so does the sentence.
    qtbot.waitUntil(lambda: "the workshop" in offered(), timeout=PATIENCE_MS)
    with qtbot.waitSignal(dialog.finished, timeout=PATIENCE_MS):
        dialog.remove.click()
    assert "the workshop" not in names()
    window.undo.undo()
    qtbot.waitUntil(lambda: "the workshop" in names(), timeout=PATIENCE_MS)


def test_what_is_built_in_can_be_made_quiet_and_not_removed(
    window: DeskWindow, qtbot: QtBot, store: Store
) -> None:
    window.watch.show_ways()
    dialog = opened(qtbot, window, ChannelDialog)
    dialog.list.setCurrentRow(0)
    assert dialog.name.text() == "this desktop"
    assert not dialog.remove.isEnabled()
    assert not dialog.form.isRowVisible(dialog.fields["host"])
    _write(dialog, "quiet", "22:00–06:00")
    dialog.keep.click()

    def kept() -> HoursOfDay | None:
        with store.read() as connection:
            return ways(connection)[0].quiet

    qtbot.waitUntil(lambda: kept() == HoursOfDay(begin_min=1320, end_min=360), timeout=PATIENCE_MS)
