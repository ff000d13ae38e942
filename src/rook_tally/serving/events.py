"""News as they come: server-sent events, which go on after a break with nothing missed.

The number of an event is that of the store's notice, so a reader that comes back with it is told
everything since. Where so much has happened that the notices are gone, it is told so, and from when
to ask `/v1/readings`.
"""

from __future__ import annotations

import asyncio
import contextlib
from typing import Any

import msgspec
import structlog
from aiohttp import web
from sqlalchemy.engine import Connection

from rook_tally.core.errors import StoreError
from rook_tally.core.series.readings import Quality
from rook_tally.core.timestamps import rfc3339
from rook_tally.net.problem_answers import problem
from rook_tally.serving.access import ReadAccess, Reader
from rook_tally.serving.asked import chosen, name_of
from rook_tally.store.alarms import journal
from rook_tally.store.base import Store
from rook_tally.store.base.changes import Subject, are_forgotten, newest_seq
from rook_tally.store.base.raw_sql import fetched
from rook_tally.store.readings import read_range
from rook_tally.store.site import Series

_LOOK_S = 0.25
_BEAT_S = 15.0
_MOST_AT_ONCE = 200
_MOST_STREAMS = 100
_MOST_ROWS = 500
_NOTICES = (
    "SELECT seq, subject, series_id, from_us, to_us FROM change WHERE seq > ? "
    f"AND subject IN ({int(Subject.READINGS)}, {int(Subject.ALARMS)}) ORDER BY seq LIMIT ?"
)

_log = structlog.get_logger(__name__)


class _Told(msgspec.Struct, frozen=True):
    """An event: its number, its name and what it says."""

    number: int
    name: str
    data: dict[str, Any]


class EventStream:
    """Serves streams of events."""

    def __init__(self, store: Store, access: ReadAccess) -> None:
        self._store, self._access = store, access
        self._open = 0

    async def serve(self, request: web.Request, reader: Reader) -> web.StreamResponse:
        """Tell a reader what happens, from its last event on, until it or its key is gone."""
        if self._open >= _MOST_STREAMS:
            raise problem(503, "Too many streams are open", f"{_MOST_STREAMS} at most; come later")
        seen = await self._access.seen(reader)
        series = {one.id: one for one in chosen(request, seen.series)}
        told = request.headers.get("Last-Event-ID", request.query.get("after", ""))
        if told and not told.isdigit():
            raise problem(400, "That is no event's number", f"Last-Event-ID: {told}")
        at = int(told) if told else await asyncio.to_thread(self._newest)
        response = web.StreamResponse(
            headers={"Content-Type": "text/event-stream", "Cache-Control": "no-store"}
        )
        await response.prepare(request)
        self._open += 1
        try:
            with contextlib.suppress(ConnectionResetError):
                await self._tell(response, reader, series, at)
        finally:
            self._open -= 1
        return response

    async def _tell(
        self, response: web.StreamResponse, reader: Reader, series: dict[int, Series], at: int
    ) -> None:
        await response.write(f": ready\nid: {at}\n\n".encode())
        quiet_s = 0.0
        while True:
            try:
                at, events = await asyncio.to_thread(self._since, at, series)
            except StoreError as error:
                _log.warning("events_put_off", error=str(error))
                events = []
            if not await self._access.still_reads(reader):
                await response.write(b"event: revoked\ndata: {}\n\n")
                return
            for one in events:
                body = _written(one)
                await response.write(body)
                self._access.note(reader, len(body))
            if events:
                quiet_s = 0.0
                continue
            await asyncio.sleep(_LOOK_S)
            quiet_s += _LOOK_S
            if quiet_s >= _BEAT_S:
                quiet_s = 0.0
                await response.write(b": still here\n\n")

    def _newest(self) -> int:
        with self._store.read() as connection:
            return newest_seq(connection)

    def _since(self, at: int, series: dict[int, Series]) -> tuple[int, list[_Told]]:
        """What is to be told after a notice, and the notice it is told up to."""
        with self._store.read() as connection:
            if are_forgotten(connection, at):
                newest = newest_seq(connection)
                lost = {"why": "more has happened than is kept; ask /v1/readings for it"}
                return newest, [_Told(newest, "missed", lost)]
            rows = fetched(connection, _NOTICES, (at, _MOST_AT_ONCE))
            events = []
            for seq, subject, series_id, from_us, to_us in rows:
                at = int(seq)
                if subject == Subject.ALARMS:
                    events.append(_Told(at, "alarms", _alarms(connection, series)))
                elif series_id in series:
                    events.append(
                        _Told(
                            at, "readings", _readings(connection, series[series_id], from_us, to_us)
                        )
                    )
            return at, events


def _readings(connection: Connection, one: Series, from_us: int, to_us: int) -> dict[str, Any]:
    """The readings that a notice is about; of very many the newest, and whether that is all."""
    told = read_range(connection, one.id, from_us, to_us + 1)
    newest = told[max(0, len(told) - _MOST_ROWS) :]
    return {
        "series": name_of(one),
        "from": rfc3339(from_us),
        "to": rfc3339(to_us),
        "whole": len(newest) == len(told),
        "readings": [
            {"time": rfc3339(time_us), "value": value, "quality": Quality(quality).wording}
            for time_us, value, quality in zip(
                newest.time_us.tolist(), newest.value.tolist(), newest.quality.tolist(), strict=True
            )
        ],
    }


def _alarms(connection: Connection, series: dict[int, Series]) -> dict[str, Any]:
    """The newest lines of the journal about what the reader may see."""
    return {
        "journal": [
            {
                "time": rfc3339(one.time_us),
                "what": one.sort.value,
                "watch": one.watch,
                "name": one.name,
                "series": name_of(series[one.series_id]),
                "level": int(one.level),
                "words": one.words,
            }
            for one in journal(connection, most=20)
            if one.series_id is not None and one.series_id in series
        ]
    }


def _written(one: _Told) -> bytes:
    return (
        f"id: {one.number}\nevent: {one.name}\ndata: ".encode()
        + msgspec.json.encode(one.data)
        + b"\n\n"
    )
