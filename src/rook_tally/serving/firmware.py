"""Firmware for stations that ask: what they are offered, and the image in parts; and the time.

A station is known by its access key. What it is offered is a text of which all but the last line is
signed (`core.firmware.images`), so that a small board checks it before it reads it.
"""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable

import structlog
from aiohttp import web

from rook_tally.core.auth_throttle import AuthThrottle
from rook_tally.core.firmware.images import FirmwareImage, image_offer, signed_text
from rook_tally.core.timestamps import SECOND_US
from rook_tally.net.problem_answers import json_response, problem
from rook_tally.store.base import Store
from rook_tally.store.site.firmware import image_bytes, is_intact
from rook_tally.store.site.firmware_rollouts import (
    AskingStation,
    note_asked,
    note_fetched,
    offer_for,
    station_of_key,
)

_CHUNK = 256 * 1024
_LONGEST_VERSION = 64
# An image is held to its signature once in so long; a station does so itself every time.
_INTACT_FOR_S = 60.0

_log = structlog.get_logger(__name__)


class FirmwareRoutes:
    """Handlers of `/v1/firmware`, `/v1/firmware/SHA256` and `/v1/time`.

    `clock` is the moment now in µs; `clock_is_set` says whether it can be right.
    """

    def __init__(
        self, store: Store, clock: Callable[[], int], clock_is_set: Callable[[], bool]
    ) -> None:
        self._store, self._clock, self._clock_is_set = store, clock, clock_is_set
        self._patience = AuthThrottle()
        self._looking = asyncio.Lock()
        # Which images were intact, by their number, and when that was looked at.
        self._intact: dict[int, tuple[float, bool]] = {}

    def routes(self) -> list[web.RouteDef]:
        """What is served."""
        return [
            web.get("/v1/firmware", self._get_offer),
            web.get("/v1/firmware/{digest}", self._get_image),
            web.get("/v1/time", self._get_time),
        ]

    async def _get_time(self, _request: web.Request) -> web.Response:
        if not self._clock_is_set():
            raise problem(
                503,
                "The time is not known",
                "the collector's own clock is not set; ask again later",
            )
        return json_response(200, {"time": self._clock() // SECOND_US})

    async def _get_offer(self, request: web.Request) -> web.Response:
        station = await self._station(request)
        version = request.query.get("version", "")[:_LONGEST_VERSION]

        def look() -> FirmwareImage | None:
            with self._store.write() as connection:
                note_asked(connection, station, version, self._clock())
                return self._intact_offer(station, offer_for(connection, station))

        image = await asyncio.to_thread(look)
        if image is None:
            return web.Response(status=204)
        if "application/json" not in request.headers.get("Accept", ""):
            return web.Response(text=image_offer(image))
        return json_response(
            200,
            {
                "kind": image.kind,
                "version": image.version,
                "size": image.size,
                "sha256": image.sha256,
                "signed": signed_text(image.kind, image.version, image.size, image.sha256),
                "signature": image.signature,
                "notes": image.notes,
                "image": f"/v1/firmware/{image.sha256}",
            },
        )

    def _intact_offer(
        self, station: AskingStation, image: FirmwareImage | None
    ) -> FirmwareImage | None:
        if image is None:
            return None
        looked_s, is_well = self._intact.get(image.id, (-_INTACT_FOR_S, False))
        if time.monotonic() - looked_s >= _INTACT_FOR_S:
            with self._store.read() as connection:
                is_well = is_intact(connection, image)
            self._intact[image.id] = time.monotonic(), is_well
        if not is_well:
            _log.warning("image_not_intact", version=image.version, station=station.key)
        return image if is_well else None

    async def _get_image(self, request: web.Request) -> web.StreamResponse:
        station = await self._station(request)
        digest = request.match_info["digest"].lower()

        def look() -> FirmwareImage | None:
            with self._store.read() as connection:
                return self._intact_offer(station, offer_for(connection, station))

        image = await asyncio.to_thread(look)
        if image is None or image.sha256 != digest:
            raise problem(
                404,
                "This image is not offered",
                f"{station.key} is offered "
                + ("nothing" if image is None else f"version {image.version}")
                + " now; ask /v1/firmware again",
            )
        begin, end = _part(request, image)
        answer = web.StreamResponse(
            status=200
            if request.headers.get("Range") is None or end - begin == image.size
            else 206,
            headers={
                "Content-Type": "application/octet-stream",
                "Content-Length": str(end - begin),
                "Accept-Ranges": "bytes",
                "ETag": f'"{image.sha256}"',
            },
        )
        if answer.status == 206:
            answer.headers["Content-Range"] = f"bytes {begin}-{end - 1}/{image.size}"
        await answer.prepare(request)
        if request.method == "HEAD":
            return answer
        for at in range(begin, end, _CHUNK):
            await answer.write(
                await asyncio.to_thread(self._piece, image, at, min(at + _CHUNK, end))
            )
        await answer.write_eof()
        if end == image.size:
            await asyncio.to_thread(self._note_fetched, station, image)
        return answer

    def _piece(self, image: FirmwareImage, begin: int, end: int) -> bytes:
        with self._store.read() as connection:
            return image_bytes(connection, image, begin, end)

    def _note_fetched(self, station: AskingStation, image: FirmwareImage) -> None:
        with self._store.write() as connection:
            note_fetched(connection, station, image, self._clock())
        _log.info("firmware_fetched", station=station.key, version=image.version)

    async def _station(self, request: web.Request) -> AskingStation:
        """Who asks; raises 401 for a wrong key or none, 429 after too many wrong ones."""
        scheme, _, key = request.headers.get("Authorization", "").partition(" ")
        if scheme.lower() != "bearer" or not key.strip():
            raise problem(
                401,
                "An access key is needed",
                "send Authorization: Bearer <station key>",
                {"WWW-Authenticate": "Bearer"},
            )
        peer = request.remote or ""

        def look() -> AskingStation | None:
            with self._store.read() as connection:
                return station_of_key(connection, key.strip())

        async with self._looking:
            found = await asyncio.to_thread(look)
        if found is not None:
            return found
        wait_s = self._patience.wait_s(peer, self._clock())
        if wait_s:
            raise problem(
                429,
                "Too many wrong access keys",
                f"this address is heard again in {wait_s} s",
                {"Retry-After": str(wait_s)},
            )
        if self._patience.note_wrong(peer, self._clock()):
            _log.warning("wrong_keys", peer=peer)
        raise problem(
            401,
            "The access key is not known",
            "it is no station's that is in use",
            {"WWW-Authenticate": "Bearer"},
        )


def _part(request: web.Request, image: FirmwareImage) -> tuple[int, int]:
    """The part that is asked for: from one byte up to another (RFC 9110, 14). A range that cannot
    be read asks for all, and so does one of another image."""
    if request.headers.get("If-Range", f'"{image.sha256}"') != f'"{image.sha256}"':
        return 0, image.size
    try:
        told = request.http_range
    except ValueError:
        return 0, image.size
    begin, end, _ = told.indices(image.size)
    if begin >= end:
        raise problem(
            416,
            "There is no such part",
            f"the image has {image.size} bytes",
            {"Content-Range": f"bytes */{image.size}"},
        )
    return begin, end
