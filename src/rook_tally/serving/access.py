"""Who asks and what it may read: a program on this machine everything, others by a read key."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable

import msgspec
import structlog
from aiohttp import web
from sqlalchemy.engine import Connection

from rook_tally.core.auth_throttle import AuthThrottle
from rook_tally.core.errors import StoreError
from rook_tally.core.quantities.named_series import Group
from rook_tally.intake.doors.this_machine import why_not_from_here
from rook_tally.net.problem_answers import problem
from rook_tally.store.base import Store, access_hash
from rook_tally.store.base.changes import Subject, newest_changes, newest_seq
from rook_tally.store.site import Series, Site, load_site
from rook_tally.store.site.read_keys import ReadKey, ReadScope, note_reads, read_keys
from rook_tally.store.workings import groups

_KEYS_HOLD_S = 1.0
_NOTED_EVERY_S = 5.0
_OF_SITE = {Subject.SITE, Subject.SERIES, Subject.WORKINGS}

_log = structlog.get_logger(__name__)


class Reader(msgspec.Struct, frozen=True):
    """Who asks: a key, or a program on this machine (None)."""

    key: ReadKey | None
    scope: ReadScope

    @property
    def name(self) -> str:
        """What it is called."""
        return "this machine" if self.key is None else self.key.name


class SeenSite(msgspec.Struct, frozen=True):
    """The site and the series that a reader may see, hidden ones left out."""

    site: Site
    series: tuple[Series, ...]


class ReadAccess:
    """Lets readers in, and counts what they are given."""

    def __init__(self, store: Store, clock: Callable[[], int]) -> None:
        self._store, self._clock = store, clock
        self._patience = AuthThrottle()
        self._keys: dict[str, ReadKey] = {}
        self._looked_s = -_KEYS_HOLD_S
        self._looking = asyncio.Lock()
        # Up to which notice it is known, the site and its groups.
        self._site: tuple[int, Site, dict[str, Group]] | None = None
        self._given: dict[int, tuple[int, int, int]] = {}

    async def reader(self, request: web.Request) -> Reader:
        """Who asks.

        Raises
        ------
        ProblemError
            401 for a wrong key, or none at all from elsewhere; 429 after too many wrong ones.
        """
        header = request.headers.get("Authorization")
        if header is None:
            why = why_not_from_here(request.remote or "", request.headers)
            if why:
                raise problem(
                    401,
                    "A read key is needed",
                    f"{why}; make one with `rook-tally read-key add` and send it as "
                    "Authorization: Bearer <key>",
                    {"WWW-Authenticate": "Bearer"},
                )
            return Reader(None, ReadScope())
        peer = request.remote or ""
        wait_s = self._patience.wait_s(peer, self._clock())
        found = await self._key(header)
        if found is not None:
            return Reader(found, found.scope)
        if wait_s:
            raise problem(
                429,
                "Too many wrong keys",
                f"this address is heard again in {wait_s} s",
                {"Retry-After": str(wait_s)},
            )
        if self._patience.note_wrong(peer, self._clock()):
            _log.warning("wrong_read_keys", peer=peer)
        raise problem(
            401,
            "The read key is not known",
            "it was revoked, or never made",
            {"WWW-Authenticate": "Bearer"},
        )

    async def _key(self, header: str) -> ReadKey | None:
        scheme, _, key = header.partition(" ")
        if scheme.lower() != "bearer" or not key.strip():
            return None
        await self._look()
        return self._keys.get(access_hash(key.strip()))

    async def still_reads(self, reader: Reader) -> bool:
        """False once its key was revoked."""
        if reader.key is None:
            return True
        await self._look()
        return reader.key.key_hash in self._keys

    async def _look(self) -> None:
        async with self._looking:
            if time.monotonic() - self._looked_s < _KEYS_HOLD_S:
                return

            def look() -> dict[str, ReadKey]:
                with self._store.read() as connection:
                    return {one.key_hash: one for one in read_keys(connection)}

            self._keys = await asyncio.to_thread(look)
            self._looked_s = time.monotonic()

    def note(self, reader: Reader, size: int) -> None:
        """Something was given to a reader."""
        if reader.key is not None:
            requests, before, _ = self._given.get(reader.key.id, (0, 0, 0))
            self._given[reader.key.id] = requests + 1, before + size, self._clock()

    async def keep_counts(self) -> None:
        """Write down what readers were given, until cancelled."""
        while True:
            await asyncio.sleep(_NOTED_EVERY_S)
            given, self._given = self._given, {}
            if not given:
                continue
            try:
                await asyncio.to_thread(self._write_down, given)
            except StoreError as error:
                _log.warning("reads_not_noted", error=str(error))
                self._given = {**given, **self._given}

    def _write_down(self, given: dict[int, tuple[int, int, int]]) -> None:
        with self._store.write() as connection:
            note_reads(connection, given)

    async def seen(self, reader: Reader) -> SeenSite:
        """The site as a reader may see it."""

        return await asyncio.to_thread(self.seen_now, reader)

    def seen_now(self, reader: Reader) -> SeenSite:
        """The same in the thread that asks."""
        with self._store.read() as connection:
            return self.seen_by(reader, connection)

    def seen_by(self, reader: Reader, connection: Connection) -> SeenSite:
        """The same by a transaction that goes on to read what is asked for."""
        site, in_groups = self._site_now(connection)
        series = tuple(one for one in site.series_shown)
        if reader.scope.is_all:
            return SeenSite(site, series)
        names = set(reader.scope.places)
        ids: set[int] = set()
        for name in reader.scope.groups:
            group = in_groups.get(name)
            if group is not None:
                names |= set(group.places)
                ids |= set(group.series)
        below = places_below(site, names)
        return SeenSite(
            site, tuple(one for one in series if one.id in ids or one.station.place.name in below)
        )

    def _site_now(self, connection: Connection) -> tuple[Site, dict[str, Group]]:
        """The site and its groups; read anew when they may have changed."""
        known = self._site
        if known is not None and newest_seq(connection) == known[0]:
            return known[1:]
        newest, subjects = newest_changes(connection, known[0] if known is not None else 0)
        if known is not None and not subjects & _OF_SITE:
            self._site = newest, *known[1:]
            return known[1:]
        told = load_site(connection), {one.name: one for one in groups(connection)}
        self._site = newest, *told
        return told


def places_below(site: Site, names: set[str]) -> set[str]:
    """Places and all that lie in them."""
    by_id = {one.id: one for one in site.places}
    found = set(names)
    for one in site.places:
        at = one
        while at.name not in found and at.parent_id is not None:
            at = by_id[at.parent_id]
        if at.name in found:
            found.add(one.name)
    return found
