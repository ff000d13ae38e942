"""How long it takes from an MQTT publish to the painted cell, through the real processes."""

from __future__ import annotations

import json
import os
import time
from collections.abc import Mapping
from pathlib import Path

import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion

from rook_tally.cli.demo_site import make_demo_site
from rook_tally.cli.subprocesses import CollectorChild
from rook_tally.clock import now_us
from rook_tally.core.errors import RookTallyError
from rook_tally.store.maintenance import open_store

_SAMPLES = 200
_DAYS = 2.0
_PATIENCE_MS = 5_000
_STATION, _FIELD = "glaze-dust", "pm25"


def publish_to_paint_ms(folder: Path, environment: Mapping[str, str]) -> list[float]:
    """Delays of readings published one after the other, each awaited on the screen, ms."""
    os.environ.update(environment)
    # Qt has to be loaded after the screen is known.
    from PySide6.QtCore import QEventLoop, QTimer
    from PySide6.QtWidgets import QApplication

    from rook_tally.desk.app.window import DeskWindow

    store = open_store(folder / "demo.db")
    make_demo_site(store, end_us=now_us(), days=_DAYS)
    application = QApplication.instance() or QApplication(["rook-tally"])
    with CollectorChild(
        store.address, http="127.0.0.1:0", broker="builtin:127.0.0.1:0"
    ) as collector:
        client = mqtt.Client(CallbackAPIVersion.VERSION2, client_id="bench")
        host, _, port = str(collector.mqtt).rpartition(":")
        client.connect(host, int(port))
        client.loop_start()
        window = DeskWindow(store, clock=now_us)
        window.show()
        loop = QEventLoop()
        guard = QTimer(singleShot=True, interval=_PATIENCE_MS)
        guard.timeout.connect(loop.quit)
        wanted = {"series": -1, "value": 0.0}
        painted_at: list[float] = []

        def on_painted(row: int, column: int) -> None:
            for one in window.ledger.model.series_at(row, column):
                newest = window.state.latest.get(one.id)
                if (
                    one.id == wanted["series"]
                    and newest is not None
                    and newest.value == wanted["value"]
                    and not painted_at
                ):
                    painted_at.append(time.perf_counter())
                    QTimer.singleShot(0, loop.quit)

        window.ledger.table.cells.on_painted = on_painted
        _wait_until_loaded(window, loop)
        wanted["series"] = next(
            one.id
            for one in window.state.site.series
            if (one.station.key, one.field) == (_STATION, _FIELD)
        )
        # Which cell is picked at first, and so what is in view, depends on the hour.
        model = window.ledger.model
        window.ledger.pick(
            *next(
                (row, column)
                for row in range(len(model.rows))
                for column in range(len(model.columns))
                if any(one.id == wanted["series"] for one in model.series_at(row, column))
            )
        )
        delays = []
        for sample in range(_SAMPLES):
            # Unequal pauses, so that no beat with the polling hides a delay.
            QTimer.singleShot(40 + sample * 37 % 90, loop.quit)
            loop.exec()
            wanted["value"] = 10.0 + sample / 8
            painted_at.clear()
            began = time.perf_counter()
            client.publish(
                f"rook/{_STATION}/readings", json.dumps({_FIELD: wanted["value"]}), qos=1
            )
            guard.start()
            loop.exec()
            guard.stop()
            if not painted_at:
                raise RookTallyError("a published reading was not painted within 5 s")
            delays.append((painted_at[0] - began) * 1000)
        window.close()
        client.disconnect()
        client.loop_stop()
    store.close()
    del application
    return delays


def _wait_until_loaded(window: object, loop: object) -> None:
    from PySide6.QtCore import QEventLoop, QTimer

    from rook_tally.desk.app.window import DeskWindow

    assert isinstance(window, DeskWindow)
    assert isinstance(loop, QEventLoop)
    timer = QTimer(interval=10)
    timer.timeout.connect(lambda: loop.quit() if window.state.is_loaded else None)
    timer.start()
    loop.exec()
    timer.stop()
