"""Our own routes: series, readings in every open form, alarms, news as they come."""

from __future__ import annotations

import asyncio
import hashlib
import tempfile
from collections.abc import Awaitable, Callable
from typing import Any

import msgspec
import numpy as np
from aiohttp import web

from rook_tally.core.quantities.open_units import ucum_unit
from rook_tally.core.quantities.quantity import QuantityScale
from rook_tally.core.series.readings import Quality
from rook_tally.core.timestamps import rfc3339
from rook_tally.export.files import export_into
from rook_tally.export.pieces import ExportForm, ExportPiece, ExportWish, pieces
from rook_tally.net.problem_answers import problem
from rook_tally.serving.access import ReadAccess, Reader
from rook_tally.serving.asked import AskedRange, asked_range, chosen, cursor_of, moment, name_of
from rook_tally.serving.events import EventStream
from rook_tally.serving.metrics import METRICS_TYPE, metrics_text
from rook_tally.store.alarms import rings_between, standing
from rook_tally.store.base import Store
from rook_tally.store.readings import latest
from rook_tally.store.site import Series

_CHUNK = 1 << 16
_SPOOLED = 4_000_000
_DIGITS = 9
_TYPES = {
    "application/json": None,
    "text/csv": ExportForm.CSV,
    "application/x-ndjson": ExportForm.JSON_LINES,
    "application/jsonl": ExportForm.JSON_LINES,
    "application/senml+json": ExportForm.SENML_JSON,
    "application/senml+cbor": ExportForm.SENML_CBOR,
    "application/vnd.apache.parquet": ExportForm.PARQUET,
}
_HealthRows = Callable[[], Awaitable[dict[str, float]]]


class ReadRoutes:
    """Handlers of series, value, readings, alarms and events below `/v1`, and of `/metrics`."""

    def __init__(
        self, store: Store, access: ReadAccess, clock: Callable[[], int], health: _HealthRows
    ) -> None:
        self._store, self._access, self._clock, self._health = store, access, clock, health
        self._streams = EventStream(store, access)

    def routes(self) -> list[web.RouteDef]:
        """What is served."""
        return [
            web.get("/v1/series", self._get_series),
            web.get("/v1/value", self._get_value),
            web.get("/v1/readings", self._get_readings),
            web.get("/v1/alarms", self._get_alarms),
            web.get("/v1/events", self._get_events),
            web.get("/metrics", self._get_metrics),
        ]

    async def _get_series(self, request: web.Request) -> web.Response:
        reader = await self._access.reader(request)
        seen = await self._access.seen(reader)
        told = chosen(request, seen.series)

        def rows() -> list[dict[str, Any]]:
            with self._store.read() as connection:
                newest = latest(connection, [one.id for one in told]) if told else {}
            return [_series_row(one, newest.get(one.id)) for one in told]

        return self._answer(request, reader, {"series": await asyncio.to_thread(rows)})

    async def _get_value(self, request: web.Request) -> web.Response:
        """The newest value of one series and nothing else: in its quantity's base unit, or in the
        one that is asked for."""
        reader = await self._access.reader(request)
        seen = await self._access.seen(reader)
        told = chosen(request, seen.series) if "series" in request.query else ()
        if len(told) != 1:
            raise problem(400, "Which series", "say one, as series=station/field")
        (series,) = told
        name = request.query.get("unit")
        unit = series.quantity.base if name is None else series.quantity.unit(name)
        if unit is None:
            known = ", ".join(one.symbol for one in series.quantity.units)
            raise problem(400, "There is no such unit", f"{name}; known are {known}")

        def value() -> float | None:
            with self._store.read() as connection:
                newest = latest(connection, [series.id]).get(series.id)
            return None if newest is None else newest.value

        base = await asyncio.to_thread(value)
        if base is None:
            raise problem(404, "There is no value", f"{name_of(series)} has no reading yet")
        told_value: float | bool = round(float(unit.from_base(base)), _DIGITS)
        if series.quantity.scale is QuantityScale.STATE:
            told_value = base != 0.0
        return self._answer(request, reader, told_value)

    async def _get_readings(self, request: web.Request) -> web.StreamResponse:
        reader = await self._access.reader(request)
        asked = asked_range(request)
        form = _wanted_form(request)
        seen = await self._access.seen(reader)
        told = chosen(request, seen.series)
        if not told:
            if form is not None:
                raise problem(404, "There is no such series", "nothing of it may be read")
            return self._answer(request, reader, {"readings": [], "next": None})
        if form is None:
            body = await asyncio.to_thread(self._page, told, asked)
            return self._answer(request, reader, body)
        return await self._whole(request, reader, told, asked, form)

    def _page(self, told: tuple[Series, ...], asked: AskedRange) -> dict[str, Any]:
        """So many rows after the cursor, and the cursor to go on with."""
        start_us = asked.start_us if asked.after is None else max(asked.start_us, asked.after[0])
        wish = ExportWish(told, ExportForm.CSV, start_us, asked.end_us, asked.raw, asked.every_s)
        rows: list[dict[str, Any]] = []
        last: tuple[int, int] | None = None
        for piece in pieces(self._store.read, wish):
            rest = _after(piece, asked.after, told)
            room = asked.limit + 1 - len(rows)
            rows += _rows(rest, told, room)
            if len(rows) > asked.limit:
                at = asked.limit - (len(rows) - min(len(rest), room)) - 1
                if at >= 0:
                    last = int(rest.time_us[at]), told[int(rest.which[at])].id
                break
            if len(rest):
                last = int(rest.time_us[-1]), told[int(rest.which[-1])].id
        more = len(rows) > asked.limit
        return {
            "readings": rows[: asked.limit],
            "next": cursor_of(*last) if more and last is not None else None,
        }

    async def _whole(
        self,
        request: web.Request,
        reader: Reader,
        told: tuple[Series, ...],
        asked: AskedRange,
        form: ExportForm,
    ) -> web.StreamResponse:
        """All of it in a form, written aside first: a reader that is slow holds nothing up."""
        wish = ExportWish(
            told,
            form,
            asked.from_us,
            asked.to_us,
            asked.raw,
            asked.every_s,
            request.query.get("wide", "0") not in ("0", "false", ""),
        )
        with tempfile.SpooledTemporaryFile(max_size=_SPOOLED) as aside:
            await asyncio.to_thread(export_into, self._store.read, wish, aside)
            size = aside.tell()
            aside.seek(0)
            response = web.StreamResponse(
                headers={"Content-Type": request["form_type"], "Content-Length": str(size)}
            )
            await response.prepare(request)
            while chunk := await asyncio.to_thread(aside.read, _CHUNK):
                await response.write(chunk)
            await response.write_eof()
        self._access.note(reader, size)
        return response

    async def _get_alarms(self, request: web.Request) -> web.Response:
        reader = await self._access.reader(request)
        seen = await self._access.seen(reader)
        start_us, end_us = moment(request, "from"), moment(request, "to")
        by_id = {one.id: one for one in seen.series}

        def rows() -> list[dict[str, Any]]:
            with self._store.read() as connection:
                if start_us is None:
                    return [
                        {
                            "watch": one.watch,
                            "name": one.name,
                            "series": name_of(by_id[one.series_id]),
                            "state": one.state.value,
                            "level": int(one.level),
                            "since": None if one.since_us is None else rfc3339(one.since_us),
                            "until": None,
                        }
                        for one in standing(connection)
                        if one.series_id in by_id
                    ]
                found = rings_between(
                    connection, start_us, self._clock() if end_us is None else end_us
                )
            return [
                {
                    "watch": one.watch,
                    "name": one.name,
                    "series": name_of(by_id[series_id]),
                    "state": "rang",
                    "level": int(one.level),
                    "since": rfc3339(one.begin_us),
                    "until": None if one.end_us is None else rfc3339(one.end_us),
                }
                for series_id, several in found.items()
                if series_id in by_id
                for one in several
            ]

        return self._answer(request, reader, {"alarms": await asyncio.to_thread(rows)})

    async def _get_events(self, request: web.Request) -> web.StreamResponse:
        return await self._streams.serve(request, await self._access.reader(request))

    async def _get_metrics(self, request: web.Request) -> web.Response:
        reader = await self._access.reader(request)
        seen = await self._access.seen(reader)
        health = await self._health()

        def text() -> str:
            with self._store.read() as connection:
                newest = latest(connection, [one.id for one in seen.series])
            return metrics_text(seen.series, newest, health)

        body = (await asyncio.to_thread(text)).encode()
        self._access.note(reader, len(body))
        return web.Response(body=body, headers={"Content-Type": METRICS_TYPE})

    def _answer(self, request: web.Request, reader: Reader, body: Any) -> web.Response:
        """JSON with the tag of its bytes; 304 for who has them already."""
        told = msgspec.json.encode(body)
        tag = f'"{hashlib.sha256(told).hexdigest()[:32]}"'
        if tag in [one.strip() for one in request.headers.get("If-None-Match", "").split(",")]:
            self._access.note(reader, 0)
            return web.Response(status=304, headers={"ETag": tag})
        self._access.note(reader, len(told))
        return web.Response(
            body=told, content_type="application/json", headers={"ETag": tag, "Vary": "Accept"}
        )


def _series_row(one: Series, newest: Any) -> dict[str, Any]:
    return {
        "series": name_of(one),
        "place": one.station.place.name,
        "station": one.station.key,
        "field": one.field,
        "quantity": one.quantity.slug,
        "name": one.quantity.name,
        "unit": one.quantity.base.symbol,
        "ucum": ucum_unit(one.quantity.base.symbol),
        "cadence_s": one.station.cadence_s,
        "worked_out": one.station.is_worked_out,
        "newest": None
        if newest is None
        else {"time": rfc3339(newest.time_us), "value": newest.value},
    }


def _wanted_form(request: web.Request) -> ExportForm | None:
    """The form that the Accept header asks for; None for our own JSON, page by page."""
    accept = request.headers.get("Accept", "*/*")
    offers = []
    for at, part in enumerate(accept.split(",")):
        name, *parameters = (one.strip() for one in part.split(";"))
        weight = 1.0
        for one in parameters:
            if one.startswith("q="):
                try:
                    weight = float(one[2:])
                except ValueError:
                    weight = 0.0
        offers.append((-weight, at, name.lower()))
    for weight, _, name in sorted(offers):
        if weight == 0:
            continue
        if name in ("*/*", "application/*"):
            return None
        if name == "text/*":
            name = "text/csv"
        if name in _TYPES:
            request["form_type"] = name
            return _TYPES[name]
    raise problem(
        406, "That form is not served", f"readings come as {', '.join(_TYPES)}; not {accept}"
    )


def _after(
    piece: ExportPiece, after: tuple[int, int] | None, told: tuple[Series, ...]
) -> ExportPiece:
    """What comes behind a cursor: later, or at the same moment of a series further on."""
    if after is None:
        return piece
    order = {one.id: at for at, one in enumerate(told)}
    place = order.get(after[1], -1)
    keep = (piece.time_us > after[0]) | ((piece.time_us == after[0]) & (piece.which > place))
    return ExportPiece(
        piece.which[keep], piece.time_us[keep], piece.value[keep], piece.quality[keep]
    )


def _rows(piece: ExportPiece, told: tuple[Series, ...], most: int) -> list[dict[str, Any]]:
    names = [name_of(one) for one in told]
    units = [one.quantity.base.symbol for one in told]
    # Of one moment in the order of the series, so that a cursor knows what comes behind it.
    order = np.lexsort((piece.which, piece.time_us))[: max(most, 0)]
    return [
        {
            "series": names[which],
            "time": rfc3339(time_us),
            "value": value,
            "unit": units[which],
            "quality": Quality(quality).wording,
        }
        for which, time_us, value, quality in zip(
            piece.which[order].tolist(),
            piece.time_us[order].tolist(),
            piece.value[order].tolist(),
            piece.quality[order].tolist(),
            strict=True,
        )
    ]
