"""The Wall: a sheet of twelve panes painted, and fifty pages open at a collector."""

from __future__ import annotations

import asyncio
import contextlib
import gc
import json
import multiprocessing
import os
import threading
import time
import urllib.request
from collections.abc import Iterator, Mapping
from dataclasses import astuple, dataclass, field
from pathlib import Path
from typing import Any

from benchmarks.bare_pages import bare_pages
from benchmarks.desk import environment_of, let_until, played_back, repaint_ms
from rook_tally.cli.demo_site import make_demo_site, work_out_demo
from rook_tally.cli.subprocesses import CollectorChild
from rook_tally.core.errors import RookTallyError
from rook_tally.core.series.readings import Quality
from rook_tally.core.wall.definitions import Pane, PaneKind, WallSheet
from rook_tally.core.wall.tiling import tiled
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import Latest
from rook_tally.store.site import PageSetting, add_page_device, collectors, save_sheet, set_page

_SIZE = (1920, 1080)
_CHANGES, _REPAINTS = 200, 40
_PAGES, _RATE, _READINGS = 50, 5, 100
_SETTLE_S = 3.0
_TURNS = 3
_TICKS_S = os.sysconf("SC_CLK_TCK")
_PATIENCE_S = 60.0


def _pane(kind: PaneKind, *shows: str, text: str = "") -> Pane:
    return Pane(kind=kind, at=(0, 0), size=(24, 12), shows=shows, text=text)


_TWELVE = (
    _pane(PaneKind.SCORE, "air_score@glaze-booth"),
    _pane(PaneKind.RIBBON, "pm25@glaze-booth", "pm25@yard"),
    _pane(PaneKind.COLUMNS, "temperature@everywhere/*"),
    _pane(PaneKind.DIAL, "substrate_moisture@damp-store"),
    _pane(PaneKind.LAMPS, "switch@glaze-booth", "switch@damp-store", "presence@throwing-room"),
    _pane(PaneKind.STANDING),
    _pane(PaneKind.FIGURE, "temperature@yard"),
    _pane(PaneKind.RIBBON, "co2@throwing-room"),
    _pane(PaneKind.DAY, "temperature@drying-loft"),
    _pane(PaneKind.TABLE, "pm25@everywhere/*"),
    _pane(PaneKind.WORDS, text="Firing today, kiln at {surface_temperature@kiln-room}"),
    _pane(PaneKind.FIGURE, "co2@throwing-room"),
)


# Where the pane of the yard's temperature stands among them.
_YARD = 6


def _twelve() -> WallSheet:
    sheet = WallSheet(slug="twelve", name="Twelve", panes=_TWELVE)
    return sheet.with_areas(tiled([1.0] * len(_TWELVE)))


@dataclass(slots=True)
class WallTimes:
    """A value that changed until it is painted, and every pane inked anew, ms each; and the same
    primitives played back, of that pane and of all."""

    changed: list[float] = field(default_factory=list)
    bare_changed: list[float] = field(default_factory=list)
    whole: list[float] = field(default_factory=list)
    bare_whole: list[float] = field(default_factory=list)


def wall_ms(folder: Path, environment: Mapping[str, str]) -> WallTimes:
    """A sheet of twelve panes at 1920 × 1080, painted in a process of its own."""
    place = folder / "wall.db"
    store = open_store(place)
    now_us = time.time_ns() // 1000
    make_demo_site(store, end_us=now_us, days=2.0)
    work_out_demo(store, now_us=now_us)
    with store.write() as connection:
        save_sheet(connection, _twelve())
    store.close()
    context = multiprocessing.get_context("spawn")
    ours, theirs = context.Pipe()
    with environment_of(environment):
        process = context.Process(target=_paint, args=(theirs, place, now_us))
        process.start()
    theirs.close()
    try:
        told: WallTimes = ours.recv()
    except EOFError:
        raise RookTallyError("the window ended before it was measured") from None
    finally:
        process.join()
    return told


def _paint(pipe: Any, place: Path, now_us: int) -> None:
    from PySide6.QtWidgets import QApplication

    from rook_tally.desk.app.views import WALL
    from rook_tally.desk.app.window import DeskWindow
    from rook_tally.desk.data.clock import held_clock
    from rook_tally.desk.wall.full_screen import FullScreenWall

    store = open_store(place)
    application = QApplication(["rook-tally"])
    window = DeskWindow(store, clock=held_clock(now_us))
    window.show()
    window.client.work_apart()
    let_until(lambda: window.client.is_apart and bool(window.state.ribbons))
    window.show_view(WALL)
    model = window.wall.model
    let_until(lambda: model.listing is not None)
    model.show("twelve")
    let_until(lambda: len(model.faces) == len(_TWELVE) and window.wall.is_up_to_date)
    show = FullScreenWall(window.theme, window.state, window.client, window.wall.settings, "twelve")
    show.setFixedSize(*_SIZE)
    show.show()
    show.follower.ask_listing()
    model = show.model
    let_until(lambda: len(model.faces) == len(_TWELVE) and model.is_up_to_date)
    # What else is in the window is painted when it is looked at, not now.
    window.hide()
    let_until(lambda: show.isVisible())
    application.processEvents()
    gc.collect()
    gc.freeze()
    by_name = {(one.station.key, one.field): one for one in window.state.site.series}
    yard = by_name["yard-post", "temp"]
    told = WallTimes()
    bare = played_back(show.canvas)
    assert model.sheet is not None
    area = show.canvas.rect_of(model.sheet.panes[_YARD].area)
    for at in range(_CHANGES + 5):
        reading = Latest(yard.id, now_us + at, 10.0 + at % 90 / 10, Quality.GOOD)
        began = time.perf_counter()
        window.state.live.latest[yard.id] = reading
        model.on_changed({yard.id})
        application.processEvents()
        told.changed.append(1000 * (time.perf_counter() - began))
        began = time.perf_counter()
        bare.repaint(area)
        told.bare_changed.append(1000 * (time.perf_counter() - began))
    for _ in range(_REPAINTS + 2):
        told.whole.append(repaint_ms(show.canvas))
        told.bare_whole.append(repaint_ms(bare))
    # The first few are inked for the first time.
    pipe.send(WallTimes(*(one[5:] for one in astuple(told))))
    bare.close()
    show.close()
    window.close()
    store.close()
    del application


@dataclass(frozen=True, slots=True)
class PageCost:
    """A collector's share of a core with pages open and without, that of a bare server of pages,
    and how long a value takes, ms."""

    with_pages: float
    without: float
    bare: float
    delays_ms: list[float]


def page_cost(folder: Path) -> PageCost:
    """Five readings a second, with fifty pages open at the collector that takes them in, and with
    none: its share of a core, and each value's way from its sender onto each page."""
    store = open_store(folder / "page.db")
    now_us = time.time_ns() // 1000
    make_demo_site(store, end_us=now_us, days=2.0)
    work_out_demo(store, now_us=now_us)
    with store.write() as connection:
        save_sheet(connection, _twelve())
        set_page(connection, PageSetting(is_on=True, host="127.0.0.1", port=0))
        key = add_page_device(connection, "bench", now_us=now_us)
    with CollectorChild(
        store.address, http="127.0.0.1:0", broker="builtin:127.0.0.1:0"
    ) as collector:
        pid = collector.process.pid
        address = _page_address(store)
        threading.Event().wait(_SETTLE_S)
        shares: list[tuple[float, float]] = []
        sent: dict[str, float] = {}
        seen: list[tuple[str, float]] = []
        # In turn: what else a collector does meanwhile comes and goes.
        for turn in range(_TURNS):
            without, _ = _send_readings(collector.http, pid, -_READINGS)
            with _open_pages(address, key) as told:
                with_pages, lately = _send_readings(collector.http, pid, turn * _READINGS)
                threading.Event().wait(1.0)
            shares.append((with_pages, without))
            sent |= lately
            seen += told
    store.close()
    with_pages, without = (sum(column) / _TURNS for column in zip(*shares, strict=True))
    with bare_pages(_RATE) as bare, _open_pages(bare.address, key):
        before = _cpu_s(bare.pid)
        threading.Event().wait(_READINGS / _RATE)
        bare_share = (_cpu_s(bare.pid) - before) / (_READINGS / _RATE)
    delays = [1000 * (at - sent[text]) for text, at in seen if text in sent]
    if len(delays) < 0.9 * _PAGES * len(sent):
        raise RookTallyError(f"only {len(delays)} of {_PAGES * len(sent)} values reached a page")
    return PageCost(with_pages, without, bare_share, delays)


@contextlib.contextmanager
def _open_pages(address: str, key: str) -> Iterator[list[tuple[str, float]]]:
    """Pages that are looked at meanwhile; afterwards, what each was told and when."""
    seen: list[tuple[str, float]] = []
    context = multiprocessing.get_context("spawn")
    ours, theirs = context.Pipe()
    process = context.Process(target=_look, args=(theirs, address, key))
    process.start()
    theirs.close()
    ours.recv()  # all pages are open
    threading.Event().wait(_SETTLE_S)
    yield seen
    ours.send("end")
    seen += ours.recv()
    process.join()


def _page_address(store: Any) -> str:
    until = time.monotonic() + _PATIENCE_S
    while time.monotonic() < until:
        with store.read() as connection:
            for one in collectors(connection, now_us=time.time_ns() // 1000):
                for door in one.doors:
                    if door.name == "page" and door.state.value == "open":
                        return f"http://{door.address}"
        threading.Event().wait(0.05)
    raise RookTallyError("the page was not served within a minute")


def _send_readings(http: str, pid: int, first: int) -> tuple[float, dict[str, float]]:
    """Send readings of the yard's temperature; the collector's share of a core meanwhile, and when
    each value was sent, by its text on the page."""
    sent = {}
    before, began = _cpu_s(pid), time.perf_counter()
    for at in range(_READINGS):
        value = 5 + (first + at) / 10
        sent[f"{value:.1f}"] = time.time()
        request = urllib.request.Request(
            f"http://{http}/v1/readings?station=yard-post",
            data=json.dumps({"temp": value}).encode(),
            method="POST",
            headers={"Content-Type": "application/json"},
        )
        with urllib.request.urlopen(request, timeout=20) as answer:
            answer.read()
        pause = began + (at + 1) / _RATE - time.perf_counter()
        threading.Event().wait(max(pause, 0.0))
    return (_cpu_s(pid) - before) / (time.perf_counter() - began), sent


def _cpu_s(pid: int) -> float:
    fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    return (int(fields[11]) + int(fields[12])) / _TICKS_S


def _look(pipe: Any, address: str, key: str) -> None:
    asyncio.run(_look_at_pages(pipe, address, key))


async def _look_at_pages(pipe: Any, address: str, key: str) -> None:
    import aiohttp

    seen: list[tuple[str, float]] = []
    opened = 0
    is_open = asyncio.Event()

    async def look(session: aiohttp.ClientSession) -> None:
        nonlocal opened
        async with session.get(f"{address}/live/twelve", timeout=None) as page:
            opened += 1
            if opened == _PAGES:
                is_open.set()
            async for line in page.content:
                if line.startswith(b"data: {"):
                    told = json.loads(line[6:])
                    now = time.time()
                    if "p6" in told:
                        text = told["p6"].partition('class="figure">')[2].partition("<")[0]
                        seen.append((text, now))

    connector = aiohttp.TCPConnector(limit=0)
    cookies = {"rook_page": key}
    async with aiohttp.ClientSession(
        connector=connector,
        cookies=cookies,
        cookie_jar=aiohttp.CookieJar(unsafe=True),
        read_bufsize=2**20,
    ) as session:
        tasks = [asyncio.create_task(look(session)) for _ in range(_PAGES)]
        await is_open.wait()
        pipe.send("open")
        await asyncio.to_thread(pipe.recv)
        for task in tasks:
            task.cancel()
        await asyncio.wait(tasks)
    pipe.send(seen)
