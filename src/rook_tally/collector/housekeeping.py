"""Sealing while the doors are open: one day of one series at a time, never in a commit's way.

One collector does it for a store; the others look every few seconds whether it still lives.
"""

from __future__ import annotations

import asyncio
from collections import deque
from collections.abc import Callable

import structlog

from rook_tally.collector.leases import look_while_held
from rook_tally.core.errors import DamagedPageError, StoreError
from rook_tally.store.alarms.clock_trust import may_remove
from rook_tally.store.base import Store
from rook_tally.store.maintenance.purging import purge_removed
from rook_tally.store.maintenance.thinning import Thinned, thin_what_is_due
from rook_tally.store.readings import (
    Stretch,
    bring_over,
    keep_partitions,
    pages_to_bring_over,
    seal,
    stretches_due,
)
from rook_tally.store.readings.older_pages import are_brought_over, note_brought_over
from rook_tally.store.site import Series, load_site, prune_message_log, prune_strays
from rook_tally.store.site.learned_cadence import learn_cadence, stations_that_learn
from rook_tally.store.site.leases import Leases, Role

LOOK_EVERY_S = 5.0
_FOLD_EVERY_S = 1.0
_BOUND_EVERY_S = 30.0
# Between two pages the doors have the store to themselves.
_BREATH_S = 0.05
_FORTNIGHTS_A_LOOK, _SERIES_A_LOOK = 50, 200

_log = structlog.get_logger(__name__)


async def seal_loop(duties: Leases, *, clock: Callable[[], int]) -> None:
    """Seal what is due whenever that is ours to do, until cancelled."""
    older = _OlderPages()

    async def tidy(store: Store) -> None:
        await _tidy(store, clock)
        await older.bring_some_over(store)

    await look_while_held(duties, Role.SEALING, tidy, every_s=LOOK_EVERY_S)


async def prune_loop(store: Store, *, clock: Callable[[], int]) -> None:
    """Drop strays and tape beyond their bounds, again and again, until cancelled."""
    while True:
        await asyncio.sleep(_BOUND_EVERY_S)
        try:
            await asyncio.to_thread(_prune, store, clock())
        except StoreError as error:
            _log.warning("not_pruned", error=str(error))


def _prune(store: Store, now_us: int) -> None:
    with store.write() as connection:
        prune_strays(connection, now_us=now_us if may_remove(connection, now_us=now_us) else None)
    is_long = True
    while is_long:
        with store.write() as connection:
            is_long = prune_message_log(connection)


async def keep_log_short(store: Store) -> None:
    """Fold SQLite's write-ahead log in beside the commits, until cancelled."""
    while True:
        await asyncio.sleep(_FOLD_EVERY_S)
        try:
            await asyncio.to_thread(store.fold_log)
        except StoreError as error:
            _log.warning("log_not_folded", error=str(error))


def _learn_cadences(store: Store) -> list[tuple[int, float]]:
    with store.read() as connection:
        learning = stations_that_learn(connection)
    found: list[tuple[int, float]] = []
    for station_id in learning:
        with store.write() as connection:
            cadence_s = learn_cadence(connection, station_id)
        if cadence_s is not None:
            found.append((station_id, cadence_s))
    return found


async def _tidy(store: Store, clock: Callable[[], int]) -> None:
    for station_id, cadence_s in await asyncio.to_thread(_learn_cadences, store):
        _log.info("cadence_learned", station=station_id, cadence_s=cadence_s)
    for line in await asyncio.to_thread(_keep_partitions, store, clock()):
        _log.info("partitions", done=line)
    while due := await asyncio.to_thread(stretches_due, store, now_us=clock()):
        series = await asyncio.to_thread(_series_by_id, store)
        sealed = 0
        for stretch in due:
            if stretch.series_id in series:
                sealed += await asyncio.to_thread(_seal, store, series, stretch)
                await asyncio.sleep(_BREATH_S)
        _log.info("sealed", pages=sealed)
        if not sealed:
            break
    for thinned in await asyncio.to_thread(_thin, store, clock()):
        _log.info("thinned", series=thinned.series_id, readings=thinned.readings)
    for key in await asyncio.to_thread(_purge, store, clock()):
        _log.info("purged", station=key)


def _seal(store: Store, series: dict[int, Series], stretch: Stretch) -> bool:
    try:
        return seal(store, series[stretch.series_id], stretch.start_us)
    except DamagedPageError as error:
        # Its rows stay where they are; every other series is sealed.
        _log.warning("not_sealed", series=stretch.series_id, error=str(error))
        return False


class _OlderPages:
    """Brings the pages of older formats over, some fortnights at every look and series after
    series; once through, it is done for as long as the store is of this format."""

    def __init__(self) -> None:
        # What is left of each series: behind which page. None before the first look.
        self._left: deque[Stretch] | None = None
        self._is_through = False
        self._brought_over = 0

    async def bring_some_over(self, store: Store) -> None:
        """Bring the next ones over, if there are any."""
        if self._is_through:
            return
        if self._left is None:
            self._left = await asyncio.to_thread(_beginnings, store)
        for _ in range(_SERIES_A_LOOK):
            if not self._left:
                await asyncio.to_thread(_end, store)
                self._is_through = True
                if self._brought_over:
                    _log.info("pages_brought_over", fortnights=self._brought_over)
                return
            pages = await asyncio.to_thread(_next_older_pages, store, self._left[0])
            if pages:
                await self._bring_over(store, pages)
                self._left[0] = pages[-1]
                return
            self._left.popleft()

    async def _bring_over(self, store: Store, pages: list[Stretch]) -> None:
        series = await asyncio.to_thread(_series_by_id, store)
        for page in pages:
            # Its station may have been deleted meanwhile.
            if page.series_id in series:
                self._brought_over += await asyncio.to_thread(
                    bring_over, store, series[page.series_id], page.start_us
                )
                await asyncio.sleep(_BREATH_S)


def _beginnings(store: Store) -> deque[Stretch]:
    with store.read() as connection:
        if are_brought_over(connection):
            return deque()
        return deque(Stretch(one.id, -1) for one in load_site(connection).series)


def _next_older_pages(store: Store, after: Stretch) -> list[Stretch]:
    with store.read() as connection:
        return pages_to_bring_over(connection, after, _FORTNIGHTS_A_LOOK)


def _end(store: Store) -> None:
    with store.read() as connection:
        if are_brought_over(connection):
            return
    with store.write() as connection:
        note_brought_over(connection)


def _purge(store: Store, now_us: int) -> list[str]:
    with store.read() as connection:
        if not may_remove(connection, now_us=now_us):
            return []
    return purge_removed(store, now_us=now_us)


def _thin(store: Store, now_us: int) -> list[Thinned]:
    with store.read() as connection:
        if not may_remove(connection, now_us=now_us):
            return []
    return thin_what_is_due(store, lambda: list(_series_by_id(store).values()), now_us=now_us)


def _keep_partitions(store: Store, now_us: int) -> list[str]:
    if store.path is not None:
        return []
    with store.write() as connection:
        return keep_partitions(connection, now_us=now_us)


def _series_by_id(store: Store) -> dict[int, Series]:
    with store.read() as connection:
        return {one.id: one for one in load_site(connection).series}
