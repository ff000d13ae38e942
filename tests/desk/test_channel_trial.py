"""A test of a channel from the window, through a real collector; told when it did not arrive."""

from __future__ import annotations

import subprocess

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from rook_tally.core.alarms.channels import Channel, ChannelKind
from rook_tally.desk.app.views import WATCH
from rook_tally.desk.watch.channel_dialog import ChannelDialog
from rook_tally.store.alarms import save_channel
from rook_tally.store.base import Store
from tests.desk.conftest import OpenDesk
from tests.desk.driving import opened
from tests.processes import CollectorProcess

PATIENCE_MS = 60_000


def test_a_test_says_what_became_of_it(
    collector: CollectorProcess, open_desk: OpenDesk, store: Store, qtbot: QtBot
) -> None:
    with store.write() as connection:
        save_channel(connection, Channel(name="shed", sort=ChannelKind.MQTT, topic="shed/bell"))
        nowhere = Channel(name="nowhere", sort=ChannelKind.WEBHOOK, url="http://127.0.0.1:9/")
        save_channel(connection, nowhere)
    window = open_desk()
    window.show_view(WATCH)
    model = window.watch.model
    qtbot.waitUntil(
        lambda: model.listing is not None and len(model.listing.ways) > 4, timeout=PATIENCE_MS
    )
    window.watch.sentence.ways_wanted.emit()
    dialog = opened(qtbot, window, ChannelDialog)
    assert not dialog.test.isEnabled()
    listener = subprocess.Popen(
        ["mosquitto_sub", "-h", "127.0.0.1", "-p", collector.mqtt_port, "-t", "shed/#", "-C", "1"],
        stdout=subprocess.PIPE,
        text=True,
    )
    for name, words in (("shed", "The test was told"), ("nowhere", "")):
        names = [dialog.list.item(at).text() for at in range(dialog.list.count())]
        dialog.list.setCurrentRow(names.index(name))
        QTest.mouseClick(dialog.test, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(dialog.test.isEnabled, timeout=PATIENCE_MS)
        assert dialog.tested.text().startswith(words)
    assert "The test was not told" in dialog.why.text()
    heard, _ = listener.communicate(timeout=30)
    assert "This is only a test" in heard
