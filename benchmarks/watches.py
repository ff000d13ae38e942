"""Watches: rehearsed over a year at fifty readings a second, rung through to a webhook,
dragged in a window."""

from __future__ import annotations

import gc
import http.server
import json
import multiprocessing
import queue
import statistics
import threading
import time
from collections.abc import Mapping
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion

from benchmarks.archive import temperature_like
from benchmarks.desk import environment_of, let_until
from benchmarks.workings import core_share, site_of_fifty
from rook_tally.cli.subprocesses import CollectorChild
from rook_tally.core.alarms.alarm_detector import NEVER
from rook_tally.core.alarms.backtest import judged, rings
from rook_tally.core.alarms.channels import Channel, ChannelKind
from rook_tally.core.alarms.definitions import Guard, Scope, Watch, WatchKind
from rook_tally.core.alarms.online_detector import DetectorState, Transition, advance
from rook_tally.core.alarms.scope import WatchedSeries, targets_of
from rook_tally.core.errors import RookTallyError
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.core.quantities.named_series import NamedSeries
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.series.readings import Readings
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.alarms import save_channel, save_watch
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import append_sealed, history_of
from rook_tally.store.site import add_series, add_station, load_site

_ROUNDS = 5
_PART = 20
_WATCHES = 500
_RINGS = 60
_DRAGS = 80
_DAYS = 30
_UTC = ZoneInfo("UTC")


def rehearse_ms() -> tuple[float, float]:
    """A watch with delays, deadband and a guard over a year at 10 s, and the live step called for
    each of its readings, ms; the loop is run over a part of the year and counted up."""
    warm = NamedSeries(1, QUANTITIES["temperature"], "Shop", True, "a", "temperature", 10.0)
    here = NamedSeries(2, QUANTITIES["presence"], "Shop", True, "b", "presence", 10.0)
    watch = Watch(
        slug="w",
        name="W",
        sort=WatchKind.ABOVE,
        limit=20.5,
        clear=20.0,
        unit="°C",
        for_s=300,
        calm_s=300,
        scope=Scope(quantity="temperature"),
        guards=(Guard(scope=Scope(quantity="presence")),),
    )
    (target,) = targets_of(watch, [warm, here], ())
    readings = temperature_like(365, 10, 1)
    presence = (np.arange(len(readings)) // 4000 % 3 > 0).astype(np.float64)
    guard = Readings(readings.time_us, presence, readings.quality)
    ours = []
    found = 0
    for _ in range(_ROUNDS):
        began = time.perf_counter()
        told = rings(judged(target, readings, [guard], (), _UTC), target.judge.terms)
        ours.append(time.perf_counter() - began)
        found = len(told)
    part = len(readings) // _PART
    began = time.perf_counter()
    stepped_rings = _stepped_through(target, readings[:part], guard)
    loop = (time.perf_counter() - began) * _PART
    upto = readings.time_us[part - 1]
    expected = [
        [begin, end if end <= upto else NEVER] for begin, end in told.tolist() if begin <= upto
    ]
    if not found or stepped_rings != expected:
        raise RookTallyError("the live step rang otherwise than the rehearsal")
    return 1000 * statistics.median(ours), 1000 * loop


def _stepped_through(target: WatchedSeries, readings: Readings, guard: Readings) -> list[list[int]]:
    step, found = DetectorState(), []
    limit = target.guards[0].limit
    held = dict(zip(guard.time_us[: len(readings)].tolist(), guard.value.tolist(), strict=False))
    for moment, value in zip(readings.time_us.tolist(), readings.value.tolist(), strict=True):
        step, turned = advance(
            step,
            target.judge.terms,
            moment,
            target.judge.number(value, moment),
            may_ring=held[moment] > limit,
        )
        if turned is not None and turned[0] is Transition.RING:
            found.append([turned[1], NEVER])
        elif turned is not None:
            found[-1][1] = turned[1]
    return found


def watches_core_share(folder: Path) -> tuple[float, float]:
    """Share of a core that fifty readings a second take with 500 watches on them, and without."""
    shares = []
    for count in (_WATCHES, 0):
        store = site_of_fifty(folder / f"watches{count}.db", 0)
        with store.write() as connection:
            for at in range(count):
                save_watch(connection, _watch_of(at), now_us=0)
        shares.append(core_share(store))
        store.close()
    return shares[0], shares[1]


def _watch_of(at: int) -> Watch:
    """Ten of each series, of several sorts, most of them quiet, as watches are."""
    quantity = ("temperature", "humidity", "co2", "pm25", "sound_level")[at // 10 % 5]
    usual = {"temperature": 20, "humidity": 50, "co2": 700, "pm25": 9, "sound_level": 60}[quantity]
    scope = Scope(quantity=quantity, place=f"Room {at % 10}")
    sort = (WatchKind.ABOVE, WatchKind.BELOW, WatchKind.ABOVE, WatchKind.OUTSIDE, WatchKind.RISING)[
        at // 50 % 5
    ]
    away = 0.05 + at % 7 / 10
    guards = (Guard(scope=Scope(quantity="humidity"), limit=10),) if at % 10 == 3 else ()
    limit = usual - away if sort is WatchKind.BELOW else usual + away
    return Watch(
        slug=f"w{at}",
        name=f"W {at}",
        sort=sort,
        scope=scope,
        limit=limit,
        low=usual - away,
        for_s=5 * (at % 3),
        calm_s=10,
        window_s=60,
        guards=guards,
    )


class _Receiver(http.server.BaseHTTPRequestHandler):
    got: queue.Queue[tuple[float, dict[str, Any]]]

    def do_POST(self) -> None:
        body = self.rfile.read(int(self.headers["Content-Length"]))
        self.got.put((time.perf_counter(), json.loads(body)))
        self.send_response(204)
        self.end_headers()

    def log_request(self, code: object = "-", size: object = "-") -> None:
        """Quietly."""


def ring_ms(folder: Path) -> list[float]:
    """From a reading published over MQTT until its webhook is received, each ring by itself."""
    got: queue.Queue[tuple[float, dict[str, Any]]] = queue.Queue()
    handler = type("Receiver", (_Receiver,), {"got": got})
    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), handler)
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    store = open_store(folder / "ring.db")
    with store.write() as connection:
        for at in range(_RINGS // 10):
            add_station(connection, f"counter-{at}", place="Booth", kind=PLAIN, cadence_s=60)
        # Ten rings in five minutes are told one by one, more as one: so a way for every ten.
        for at in range(_RINGS // 10):
            url = f"http://127.0.0.1:{server.server_port}/{at}"
            save_channel(connection, Channel(name=f"hook {at}", sort=ChannelKind.WEBHOOK, url=url))
            save_watch(
                connection,
                Watch(
                    slug=f"dust-{at}",
                    name=f"Dust {at}",
                    sort=WatchKind.ABOVE,
                    limit=25,
                    scope=Scope(quantity="pm25", station=f"counter-{at}"),
                    tell=(f"hook {at}",),
                ),
                now_us=0,
            )
    delays = []
    with CollectorChild(
        store.address, http="127.0.0.1:0", broker="builtin:127.0.0.1:0"
    ) as collector:
        client = mqtt.Client(CallbackAPIVersion.VERSION2, client_id="bench")
        host, _, port = str(collector.mqtt).rpartition(":")
        client.connect(host, int(port))
        client.loop_start()
        pause = threading.Event()
        for number in range(_RINGS):
            topic = f"rook/counter-{number // 10}/readings"
            for value in (40.0, 4.0):
                body = json.dumps({"pm25": value + number / 1000}).encode()
                began = time.perf_counter()
                client.publish(topic, body, qos=1)
                received, event = got.get(timeout=30)
                if event["type"].endswith("rang"):
                    delays.append(1000 * (received - began))
                pause.wait(0.05 + number * 37 % 90 / 1000)
        client.disconnect()
        client.loop_stop()
    server.shutdown()
    server.server_close()
    store.close()
    return delays


def drag_ms(folder: Path, environment: Mapping[str, str]) -> list[float]:
    """From a limit moved in the window until the counts and the chart are painted, over thirty days
    at 10 s, each."""
    place = folder / "drag.db"
    end_us = _make_month(place)
    context = multiprocessing.get_context("spawn")
    ours, theirs = context.Pipe()
    with environment_of(environment):
        process = context.Process(target=_drag, args=(theirs, place, end_us))
        process.start()
    theirs.close()
    try:
        times: list[float] = ours.recv()
    except EOFError:
        raise RookTallyError("the window ended before it was measured") from None
    finally:
        process.join()
    return times


def _make_month(place: Path) -> int:
    store = open_store(place)
    with store.write() as connection:
        add_station(connection, "wall", place="Shop", kind=PLAIN, cadence_s=10.0)
        (station,) = load_site(connection).stations
        quantity = QUANTITIES["temperature"]
        series = add_series(
            connection, station, field="temperature", quantity=quantity, unit=quantity.base.symbol
        )
        month = temperature_like(_DAYS, 10, 1)
        end_us = int(month.time_us[-1])
        append_sealed(connection, history_of(series, month, before_us=end_us + DAY_US))
        save_watch(
            connection,
            Watch(
                slug="warm",
                name="Warm",
                sort=WatchKind.ABOVE,
                limit=21,
                clear=20.5,
                unit="°C",
                for_s=300,
                calm_s=300,
                scope=Scope(quantity="temperature"),
            ),
            now_us=end_us,
        )
    store.close()
    return end_us


def _drag(pipe: Any, place: Path, end_us: int) -> None:
    from PySide6.QtWidgets import QApplication

    from rook_tally.desk.app.views import WATCH
    from rook_tally.desk.app.window import DeskWindow
    from rook_tally.desk.data.clock import held_clock

    store = open_store(place)
    application = QApplication(["rook-tally"])
    window = DeskWindow(store, clock=held_clock(end_us))
    window.resize(1280, 800)
    window.show()
    window.client.work_apart()
    let_until(lambda: window.client.is_apart and window.state.is_loaded)
    window.show_view(WATCH)
    view = window.watch
    let_until(lambda: view.model.listing is not None)
    view.model.backtest.show_days(_DAYS)
    let_until(
        lambda: (
            view.model.backtest.result is not None
            and view.model.backtest.result.counts.span_us == _DAYS * DAY_US
        )
    )
    gc.collect()
    gc.freeze()
    times = []
    for at in range(_DRAGS + 3):
        value = 20.5 + at * 37 % _DRAGS / 40
        began = time.perf_counter()
        view.model.backtest.drag(value, clears=False)
        view.chart.repaint()
        view.figures.repaint()
        QApplication.processEvents()
        times.append(1000 * (time.perf_counter() - began))
    pipe.send(times[3:])
    window.close()
    store.close()
    del application
