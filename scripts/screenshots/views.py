"""`./rook shots`: pictures of the main views, from the demo data at a fixed moment."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable, Collection
from functools import partial
from pathlib import Path

import numpy as np
import typer
from PySide6.QtCore import QElapsedTimer, QEvent, QEventLoop, QObject, QTimer
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QApplication

from rook_tally.cli.demo_site import make_demo_site, work_out_demo
from rook_tally.core.errors import RookTallyError
from rook_tally.core.theme import NIGHT
from rook_tally.core.timestamps import HOUR_US, MINUTE_US, SECOND_US, time_us_from_text
from rook_tally.demo.history import report_times
from rook_tally.demo.pottery import STATIONS as DEMO_STATIONS
from rook_tally.demo.pottery import UNKNOWN_SENDER
from rook_tally.demo.signals import measured
from rook_tally.demo.speech import plain_json_body
from rook_tally.desk.app.views import BENCH, LEDGER, REPORTS, STATIONS, STRIP, WALL, WATCH, WORKINGS
from rook_tally.desk.app.window import DeskWindow
from rook_tally.desk.data.clock import held_clock
from rook_tally.desk.wall.full_screen import FullScreenWall
from rook_tally.desk.workings.rows import WorkingKind
from rook_tally.intake.message import Message
from rook_tally.intake.pipeline.batch_writer import receive
from rook_tally.intake.pipeline.clock_drift import Clocks
from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.store.alarms import purpose_of
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import (
    Door,
    DoorState,
    RequestKind,
    RequestState,
    answer_requests,
    create_request,
    report_collector,
    report_door,
)
from scripts.screenshots.pages import take_page_shots

MOMENT_US = time_us_from_text("2026-11-23T14:32:08Z")
SIZE = (1280, 800)
_OF_THE_POINTER = frozenset(
    {
        QEvent.Type.Enter,
        QEvent.Type.HoverEnter,
        QEvent.Type.HoverMove,
        QEvent.Type.MouseMove,
        QEvent.Type.ToolTip,
    }
)
_DAYS = 7.0
_LIVE_US = 3 * MINUTE_US
_PATIENCE_MS = 60_000
_QUIET_MS, _PAUSE_MS = 250, 40
_STRIP_LANES = (
    ("pug-gearbox", "z"),
    ("pug-gearbox", "noise"),
    ("pug-gearbox", "surface"),
    ("glaze-dust", "pm25"),
    ("throwing-wall", "co2"),
)
_STRIP_JOINED = ("shop-counter", "co2")


def take_shots(directory: Path, *, days: float = _DAYS, only: Collection[str] = ()) -> None:
    """Write one PNG a main view into a directory; the same every time on one machine.

    `only` names the views of the window to take, instead of all and the pages.
    """
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    try:
        directory.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise RookTallyError(
            f"{directory} cannot be written: {error.strerror}", remedy="name another folder"
        ) from error
    application = QApplication.instance() or QApplication(["rook-tally"])
    assert isinstance(application, QApplication)
    # A caret that blinks is now in the picture and now not, and so is what the pointer rests on.
    application.setCursorFlashTime(0)
    without_pointer = _WithoutPointer()
    application.installEventFilter(without_pointer)
    with tempfile.TemporaryDirectory(prefix="rook-tally-shots-") as folder:
        store = open_store(Path(folder) / "demo.db")
        make_demo_site(store, end_us=MOMENT_US - _LIVE_US, days=days)
        work_out_demo(store, now_us=MOMENT_US)
        _send_the_last_minutes(store)
        _ask_for_controls(store)
        _pretend_collector(store)
        window = DeskWindow(store, clock=held_clock(MOMENT_US))
        window.resize(*SIZE)
        window.show()
        try:
            for name, prepare in (
                ("ledger", _prepare_ledger),
                ("strip", _prepare_strip),
                ("wall-arranged", _prepare_wall),
                ("workings", _prepare_workings),
                ("formula", _prepare_formula),
                ("bench", _prepare_bench),
                ("reports", _prepare_reports),
                ("watch", _prepare_watch),
                ("stations", _prepare_stations),
                ("plan", _prepare_plan),
            ):
                if only and name not in only:
                    continue
                _wait_for(prepare(window), name)
                _wait_for(partial(_shows_rail, window), "time rail")
                path = directory / f"{name}.png"
                if not _settled_picture(window).save(str(path)):
                    raise RookTallyError(f"{path} cannot be written", remedy="name another folder")
                typer.echo(str(path))
            if not only:
                _take_whole_screen(window, directory / "wall.png")
                take_page_shots(store, directory, at_us=MOMENT_US)
        finally:
            window.close()
            store.close()
            application.removeEventFilter(without_pointer)


class _WithoutPointer(QObject):
    """Keeps every widget from hearing where the pointer is: a display may tell it at any time."""

    def eventFilter(self, _watched: QObject, event: QEvent) -> bool:
        return event.type() in _OF_THE_POINTER


def _send_the_last_minutes(store: Store) -> None:
    """What the stations say in the end comes in as messages, the way it does live."""
    messages: list[Message] = []
    for station in DEMO_STATIONS:
        for at in report_times(station, MOMENT_US - _LIVE_US, MOMENT_US).tolist():
            values = {
                name: float(value[0])
                for name, value in measured(station, np.array([at], dtype=np.int64)).items()
            }
            messages.append(_message(station.key, at, plain_json_body(station, at, values)))
    for back_s in (110, 65, 20):
        at = MOMENT_US - back_s * SECOND_US
        messages.append(_message(UNKNOWN_SENDER, at, b'{"temp": 9.5, "rh": 84}'))
    broken = b'{"pm1":28,"pm25":53,"pm10":77,"voc"'
    messages.append(_message("glaze-dust", MOMENT_US - 31 * SECOND_US, broken))
    renamed = b'{"pm1":29,"pm2_5":54,"pm10":78}'
    messages.append(_message("glaze-dust", MOMENT_US - 42 * SECOND_US, renamed))
    messages.append(
        messages[next(at for at, one in enumerate(messages) if one.station == "glaze-dust") + 6]
    )
    for back_s, name, value in ((900, "interval", "10"), (2100, "fan", "quiet")):
        messages.append(
            Message(
                "mqtt",
                f"rook/glaze-dust/controls/{name}",
                value.encode(),
                MOMENT_US - back_s * SECOND_US,
                station="glaze-dust",
                field=f"controls.{name}",
            )
        )
    messages.append(_message("glaze-dust", MOMENT_US - 3 * SECOND_US, b'{"firmware": "2.4.1"}'))
    directory, clocks = IntakeSession(), Clocks()
    for message in sorted(messages, key=lambda one: one.arrived_us):
        receive(store, directory, clocks, [message])


def _ask_for_controls(store: Store) -> None:
    """A fan set to quiet, which its station confirmed, and an interval it has not yet."""
    with store.write() as connection:
        fan = create_request(
            connection,
            RequestKind.CONTROL,
            "glaze-dust",
            "fan",
            "quiet",
            who="potter",
            now_us=MOMENT_US - 2101 * SECOND_US,
        )
        answer_requests(
            connection,
            [fan],
            RequestState.CONFIRMED,
            "glaze-dust says quiet",
            now_us=MOMENT_US - 2100 * SECOND_US,
        )
        create_request(
            connection,
            RequestKind.CONTROL,
            "glaze-extractor",
            "on",
            "on",
            who=purpose_of("glaze-dust"),
            now_us=MOMENT_US - 36 * MINUTE_US,
        )
        create_request(
            connection,
            RequestKind.CONTROL,
            "glaze-dust",
            "interval",
            "20",
            who="potter",
            now_us=MOMENT_US - 4 * SECOND_US,
        )


def _message(station: str, at_us: int, body: bytes) -> Message:
    return Message("mqtt", f"rook/{station}/readings", body, at_us, station=station)


def _pretend_collector(store: Store) -> None:
    with store.write() as connection:
        report_collector(connection, "shots", host="pottery", pid=1, now_us=MOMENT_US)
        door = Door("http", "127.0.0.1:4711", DoorState.OPEN, "", MOMENT_US)
        report_door(connection, "shots", door)


def _shows_rail(window: DeskWindow) -> bool:
    return window.rail.model.ribbon is not None and not window.rail.model.is_to_be_asked()


def _prepare_ledger(window: DeskWindow) -> Callable[[], bool]:
    window.show_view(LEDGER)
    # The feed sends the ribbons of all series at once, or those of a few that got readings.
    return lambda: (
        window.ledger.panel.account is not None
        and window.state.ribbons.keys() >= window.state.latest.keys()
    )


def _prepare_strip(window: DeskWindow) -> Callable[[], bool]:
    by_name = {(one.station.key, one.field): one for one in window.state.site.series}
    window.open_in_strip([by_name[name] for name in _STRIP_LANES])
    model = window.strip.model
    model.join(len(_STRIP_LANES) - 1, by_name[_STRIP_JOINED])
    model.show_last(8 * HOUR_US)
    model.point_at(MOMENT_US - 2 * HOUR_US)
    window.strip.panel.show_page(1)
    window.show_view(STRIP)
    return lambda: window.strip.is_up_to_date


def _prepare_wall(window: DeskWindow) -> Callable[[], bool]:
    window.show_view(WALL)
    return lambda: _is_arranged(window)


def _is_arranged(window: DeskWindow) -> bool:
    """Whether the first sheet is shown, with its dial picked."""
    wall = window.wall
    if not wall.is_up_to_date or not wall.model.faces:
        return False
    wall.arrange(True)
    wall.model.pick(3)
    return True


def _take_whole_screen(window: DeskWindow, path: Path) -> None:
    """The first sheet as it hangs on a screen at night."""
    model = window.wall.model
    window.show_view(WALL)
    _wait_for(lambda: window.wall.is_up_to_date and bool(model.faces), "wall")
    assert model.sheet is not None
    show = FullScreenWall(
        NIGHT, window.state, window.client, window.wall.settings, model.sheet.slug
    )
    show.resize(*SIZE)
    show.show()
    show.follower.ask_listing()
    _wait_for(lambda: show.model.is_up_to_date and bool(show.model.faces), "whole screen")
    show.tick(0)
    QApplication.processEvents()
    is_written = show.grab().save(str(path))
    show.close()
    if not is_written:
        raise RookTallyError(f"{path} cannot be written", remedy="name another folder")
    typer.echo(str(path))


def _prepare_workings(window: DeskWindow) -> Callable[[], bool]:
    window.show_view(WORKINGS)
    return lambda: _picked(window, WorkingKind.SCORE, "air_score", "Glaze booth")


def _prepare_formula(window: DeskWindow) -> Callable[[], bool]:
    window.show_view(WORKINGS)
    return lambda: _picked(window, WorkingKind.FORMULA, "dew_point", "Throwing room")


def _picked(window: DeskWindow, sort: WorkingKind, slug: str, place: str) -> bool:
    """Whether a working is shown at a place; picks it until it is."""
    model = window.workings.model
    if model.listing is None:
        return False
    if model.picked != (sort, slug):
        model.pick((sort, slug))
        return False
    shown = model.formula or model.score.preview
    if shown is None:
        return False
    if shown.place != place:
        if model.place != place:
            model.show_place(place)
        return False
    return bool(window.workings.is_up_to_date)


def _prepare_bench(window: DeskWindow) -> Callable[[], bool]:
    window.show_view(BENCH)
    return lambda: window.bench.is_up_to_date and window.bench.model.answer is not None


def _prepare_reports(window: DeskWindow) -> Callable[[], bool]:
    window.show_view(REPORTS)
    return lambda: _is_told(window)


def _is_told(window: DeskWindow) -> bool:
    """A week is whole where the demo's history begins a week ago; its month is not."""
    model = window.reports.model
    if model.listing is None:
        return False
    if model.picked is None or model.picked.slug != "for-the-teachers":
        model.pick("for-the-teachers")
    return window.reports.is_up_to_date and model.shown is not None


def _prepare_watch(window: DeskWindow) -> Callable[[], bool]:
    window.show_view(WATCH)
    return lambda: _is_rehearsed(window, "glaze-dust")


def _is_rehearsed(window: DeskWindow, slug: str) -> bool:
    """Whether a watch is shown with its rehearsal; picks it until it is."""
    view = window.watch
    if view.model.listing is None:
        return False
    if view.model.kept is None or view.model.kept.slug != slug:
        view.model.pick(slug)
        return False
    return view.is_up_to_date and view.model.backtest.result is not None


def _prepare_stations(window: DeskWindow) -> Callable[[], bool]:
    window.show_view(STATIONS)
    window.stations.pick("glaze-dust")
    return lambda: bool(window.stations.is_up_to_date)


def _prepare_plan(window: DeskWindow) -> Callable[[], bool]:
    window.show_view(STATIONS)
    page = window.stations.plan
    window.stations.show_page(1)
    page.pick("glaze-dust")
    return lambda: page.model.body is not None and page.pictures.is_up_to_date


def _settled_picture(window: DeskWindow) -> QPixmap:
    """A picture of a window that has come to rest: nothing is asked, and for a while nothing in it
    has changed."""
    spent, quiet = QElapsedTimer(), QElapsedTimer()
    spent.start()
    quiet.start()
    picture = window.grab()
    loop = QEventLoop()
    while quiet.elapsed() < _QUIET_MS and spent.elapsed() < _PATIENCE_MS:
        # Grabbing without a pause would leave the thread that reads no time.
        QTimer.singleShot(_PAUSE_MS, loop.quit)
        loop.exec()
        newer = window.grab()
        if not window.client.is_idle or newer.toImage() != picture.toImage():
            quiet.restart()
        picture = newer
    return picture


def _wait_for(is_ready: Callable[[], bool], what: str) -> None:
    """Let Qt work until a condition holds, and the picture of it is drawn."""
    spent = QElapsedTimer()
    spent.start()
    loop = QEventLoop()
    timer = QTimer(interval=10)
    timer.timeout.connect(lambda: loop.quit() if is_ready() else None)
    timer.timeout.connect(lambda: loop.quit() if spent.elapsed() > _PATIENCE_MS else None)
    timer.start()
    # Something already on its way may begin anew while the loop ends: then the picture waits on.
    while not is_ready() and spent.elapsed() <= _PATIENCE_MS:
        loop.exec()
    timer.stop()
    if not is_ready():
        raise RookTallyError(f"the {what} view did not come up within a minute")
    QApplication.processEvents()
