"""All that programs of others may ask for, in one piece for the collector."""

from __future__ import annotations

from collections.abc import Callable

from aiohttp import web

from rook_tally.intake.doors.health import AskHealth, CollectorHealth
from rook_tally.serving.access import ReadAccess
from rook_tally.serving.routes import ReadRoutes
from rook_tally.serving.things.routes import ThingsRoutes
from rook_tally.store.base import Store


class ReadApi:
    """The routes for programs that ask, and what goes on beside them."""

    def __init__(self, store: Store, clock: Callable[[], int], ask: AskHealth) -> None:
        self._ask = ask
        self._access = ReadAccess(store, clock)
        self._plain = ReadRoutes(store, self._access, clock, self._figures)
        self._things = ThingsRoutes(store, self._access)

    @property
    def routes(self) -> list[web.RouteDef]:
        """What is served."""
        return [*self._plain.routes(), *self._things.routes()]

    async def keep_counts(self) -> None:
        """Write down what was given to whom, until cancelled."""
        await self._access.keep_counts()

    async def _figures(self) -> dict[str, float]:
        """The collector's own health as numbers."""
        told: CollectorHealth = await self._ask()
        return {"up": 1.0, "well": float(told.is_well), "duties_not_done": float(len(told.duties))}
