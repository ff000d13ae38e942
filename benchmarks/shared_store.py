"""What processes and threads that share a store cost each other."""

from __future__ import annotations

import sqlite3
import statistics
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from benchmarks.archive import store_with, temperature_like
from benchmarks.bare_store import OPENING
from rook_tally.collector.run import freeze_gc
from rook_tally.core.series.readings import Quality
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.base import ChangeTail, Store
from rook_tally.store.readings import (
    NewReading,
    append_history,
    append_readings,
    seal,
    stretches_due,
)
from rook_tally.store.site import Series

_POLL_S = 0.025
_NOTICES = 100
_WRITER = """
import sys, time
from rook_tally.core.series.readings import Quality
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import NewReading, append_readings
store = open_store(sys.argv[1])
for number in range(int(sys.argv[2])):
    with store.write() as connection:
        append_readings(connection, [NewReading(1, 10**15 + number * 10**6, 20.0, Quality.GOOD)])
    print(time.time_ns(), flush=True)
    sys.stdin.readline()
"""


_BARE_WRITER = f"""{OPENING}
import time
for number in range(int(sys.argv[2])):
    write([(1, 10**15 + number * 10**6, 20.0, 0)])
    print(time.time_ns(), flush=True)
    sys.stdin.readline()
"""


def notice_ms(folder: Path) -> tuple[list[float], list[float]]:
    """From the end of a commit in one process to its notice in another: a desk's way of looking,
    and that of a bare writer at a bare file; the two in turn."""
    store, _ = store_with(folder, "notice", 10, 1)
    tail = ChangeTail(store)
    place = folder / "bare.db"
    ours: list[float] = []
    bare: list[float] = []
    with (
        _writing(_WRITER, store.address) as notice,
        _writing(_BARE_WRITER, str(place)) as bare_notice,
    ):
        follower = sqlite3.connect(place)
        seen = [-1]

        def has_news() -> bool:
            (now,) = follower.execute("PRAGMA data_version").fetchone()
            moved, seen[0] = now != seen[0], now
            return bool(moved and follower.execute("SELECT max(time_us) FROM reading").fetchone())

        for _ in range(_NOTICES):
            ours.append(notice(lambda: tail.has_news() and bool(tail.changes())))
            bare.append(bare_notice(has_news))
        follower.close()
    tail.close()
    store.close()
    return ours, bare


@contextmanager
def _writing(program: str, where: str) -> Iterator[Callable[[Callable[[], bool]], float]]:
    """A writer; what it gives waits for its next commit to be noticed, ms since that."""
    pause = threading.Event()
    words = [sys.executable, "-c", program, where, str(_NOTICES + 1)]
    with subprocess.Popen(
        words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    ) as writer:
        assert writer.stdin is not None
        assert writer.stdout is not None
        wanted, told = writer.stdin, writer.stdout
        # The first one is there before anybody looks.
        told.readline()

        def notice(has_news: Callable[[], bool]) -> float:
            has_news()
            wanted.write("\n")
            wanted.flush()
            while not has_news():
                pause.wait(_POLL_S)
            return (time.time_ns() - int(told.readline())) / 1e6

        yield notice
        writer.terminate()


def commit_delays_ms(folder: Path) -> tuple[float, float]:
    """The usual commit of one reading with nothing else going on, and the longest while 60 pages
    of 8,640 readings are sealed beside it, ms each."""
    store, series = store_with(folder, "sealing", 10, 21)
    *sealed, live = series
    history = temperature_like(3, 10)
    with store.write() as connection:
        for one in sealed:
            append_history(connection, one.id, history)
    now_us = int(history.time_us[-1]) + 4 * DAY_US
    freeze_gc()  # as a collector does
    alone = [_commit_ms(store, live, now_us + at * 10**6) for at in range(100)]
    working = threading.Thread(target=_seal_everything, args=(store, sealed, now_us))
    folding = threading.Thread(target=_fold_meanwhile, args=(store, working))
    working.start()
    folding.start()
    beside: list[float] = []
    while working.is_alive():
        beside.append(_commit_ms(store, live, now_us + (1000 + len(beside)) * 10**6))
    folding.join()
    store.close()
    return statistics.median(alone), max(beside)


def _seal_everything(store: Store, series: list[Series], now_us: int) -> None:
    by_id = {one.id: one for one in series}
    while due := [one for one in stretches_due(store, now_us=now_us) if one.series_id in by_id]:
        for stretch in due:
            seal(store, by_id[stretch.series_id], stretch.start_us)


def _fold_meanwhile(store: Store, working: threading.Thread) -> None:
    """As a collector does."""
    while working.is_alive():
        working.join(1.0)
        store.fold_log()


def _commit_ms(store: Store, series: Series, time_us: int) -> float:
    began = time.perf_counter()
    with store.write() as connection:
        append_readings(connection, [NewReading(series.id, time_us, 20.0, Quality.GOOD)])
    return (time.perf_counter() - began) * 1000
