"""Sealing while the doors are open: one day of one series at a time, never in a commit's way."""

from __future__ import annotations

import asyncio
from collections.abc import Callable

import structlog

from rook_tally.core.errors import StoreError
from rook_tally.store import Series, Store, load_site, seal, stretches_due

LOOK_EVERY_S = 60.0
# Between two pages the doors have the store to themselves.
_BREATH_S = 0.05

_log = structlog.get_logger(__name__)


async def keep_sealing(store: Store, *, clock: Callable[[], int]) -> None:
    """Seal what is due, then look again every minute, until cancelled."""
    while True:
        try:
            await _seal_what_is_due(store, clock)
        except StoreError as error:
            _log.warning("sealing_put_off", error=str(error))
        await asyncio.sleep(LOOK_EVERY_S)


async def _seal_what_is_due(store: Store, clock: Callable[[], int]) -> None:
    while due := await asyncio.to_thread(stretches_due, store, now_us=clock()):
        series = await asyncio.to_thread(_series_by_id, store)
        sealed = 0
        for stretch in due:
            if stretch.series_id in series:
                sealed += await asyncio.to_thread(
                    seal, store, series[stretch.series_id], stretch.start_us
                )
                await asyncio.sleep(_BREATH_S)
        _log.info("sealed", pages=sealed)
        if not sealed:
            return


def _series_by_id(store: Store) -> dict[int, Series]:
    with store.read() as connection:
        return {one.id: one for one in load_site(connection).series}
