"""The page's server: sheets to look at for devices with a link, live by server-sent events.

Nothing can be altered here: only GET is served, no form, no query is acted on. The key of a link is
put into a cookie and taken out of the address at once.
"""

from __future__ import annotations

import asyncio
import contextlib
import socket
import ssl
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import lru_cache
from zoneinfo import ZoneInfo

import msgspec
import structlog
from aiohttp import web

from rook_tally.core.auth_throttle import AuthThrottle
from rook_tally.core.background import BeginDuty, begin_unwatched
from rook_tally.core.errors import StoreError
from rook_tally.core.hosts import host_named, is_one_of
from rook_tally.core.plans import checked_picture
from rook_tally.core.timestamps import MINUTE_US, SECOND_US, datetime_from_time_us
from rook_tally.net.connection_guard import ConnectionGuard
from rook_tally.store.base import Store
from rook_tally.store.base.credentials import access_hash
from rook_tally.store.site import PageDevice, note_device_seen, page_devices
from rook_tally.store.site.plans import picture_numbered
from rook_tally.web.live_sheets import LiveSheets, SheetUpdate
from rook_tally.web.rendering import closed_html, page_css, page_html, page_js
from rook_tally.web.texts import tr

COOKIE = "rook_page"
_YEAR_S = 365 * 86_400
LOOK_S = 0.1
_AGAIN_S = 1.0
_TIME_S = 1.0
_BEAT_S = 5.0
_SEEN_US = MINUTE_US
_MOST_PAGES, _MOST_CONNECTIONS = 500, 800
_HEADERS = {
    "Content-Security-Policy": "default-src 'none'; style-src 'self'; script-src 'self'; "
    "img-src 'self'; connect-src 'self'; base-uri 'none'; form-action 'none'; "
    "frame-ancestors 'none'",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Cache-Control": "no-store",
}
_MARK = """<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 32 32">
<rect width="32" height="32" rx="6" fill="#222941"/>
<g stroke="#F4F1E8" stroke-width="2.4" stroke-linecap="round">
<path d="M8 8v16M13 8v16M18 8v16M23 8v16M5 21 27 11"/></g></svg>"""

_log = structlog.get_logger(__name__)


@dataclass(eq=False)
class _OpenPage:
    """A page somebody has open, and what it has not been sent yet. However slow its device, what
    waits is never more than a sheet."""

    slug: str
    device: PageDevice
    panes: dict[str, str] = field(default_factory=dict)
    # Those as they are sent, where all open pages are sent the same.
    event: bytes | None = None
    clock: str = ""
    is_laid_out_anew: bool = False
    is_gone: bool = False
    wake: asyncio.Event = field(default_factory=asyncio.Event)

    def tell(self, panes: dict[str, str], event: bytes) -> None:
        """Have panes sent beside those that wait."""
        self.event = None if self.panes else event
        self.panes = self.panes | panes if self.panes else panes
        self.wake.set()

    def taken(self) -> bytes:
        """What waits, as it is sent; nothing waits afterwards. Empty where nothing did."""
        panes, event = self.panes, self.event
        self.panes, self.event = {}, None
        return event or (_panes_event(panes) if panes else b"")


def _panes_event(panes: dict[str, str]) -> bytes:
    return b"event: panes\ndata: " + msgspec.json.encode(panes) + b"\n\n"


class PageServer:
    """Serves pages on a socket that is bound already."""

    def __init__(
        self,
        listening: socket.socket,
        *,
        store: Store,
        clock: Callable[[], int],
        tls: ssl.SSLContext | None = None,
        begin: BeginDuty = begin_unwatched,
        names: tuple[str, ...] = (),
    ) -> None:
        self._begin = begin
        self._names = names
        self._socket, self._store, self._clock, self._tls = listening, store, clock, tls
        self._board = LiveSheets(store)
        self._devices: dict[str, PageDevice] = {}
        self._seen_us: dict[int, int] = {}
        self._patience = AuthThrottle()
        self._open: set[_OpenPage] = set()
        # The board is used by one thread at a time.
        self._turn = asyncio.Lock()
        # An older list of devices must not come after a newer one.
        self._taking = asyncio.Lock()
        self._stopping = asyncio.Event()
        self._following: list[asyncio.Task[None]] = []
        # An open page asks all the time: what it sends goes on as long as it is heard.
        self._connections = ConnectionGuard(_MOST_CONNECTIONS)
        app = web.Application(
            middlewares=[self._connections.note, self._guard], client_max_size=1024
        )
        for path, handler in (
            ("/", self._get_first),
            ("/sheet/{slug}", self._get_sheet),
            ("/live/{slug}", self._get_live),
            ("/link/{key}", self._get_link),
            ("/page.css", self._get_css),
            ("/page.js", self._get_js),
            ("/mark.svg", self._get_mark),
            ("/picture/{number:[0-9]{1,9}}", self._get_picture),
        ):
            app.router.add_get(path, handler)
        self._runner = web.AppRunner(app, access_log=None, shutdown_timeout=1.0)
        self._connections.attach(self._runner)

    async def open(self) -> None:
        """Begin to listen."""
        await self.take_devices()
        async with self._turn:
            await asyncio.to_thread(self._board.follow, (), self._clock())
        self._following = [
            self._begin("pages", self._follow),
            self._begin("page connections", self._connections.run),
        ]
        await self._runner.setup()
        await web.SockSite(self._runner, self._socket, ssl_context=self._tls).start()

    async def close(self) -> None:
        """Stop listening; open pages try again by themselves."""
        self._stopping.set()
        for page in self._open:
            page.wake.set()
        for task in self._following:
            task.cancel()
        if self._following:
            await asyncio.wait(self._following)
        await self._runner.cleanup()
        self._board.close()

    async def take_devices(self) -> None:
        """Read who may look; whoever may no longer is told and let go."""

        def read() -> list[PageDevice]:
            with self._store.read() as connection:
                return page_devices(connection)

        async with self._taking:
            self._devices = {one.key_hash: one for one in await asyncio.to_thread(read)}
        for page in self._open:
            if page.device.key_hash not in self._devices:
                page.is_gone = True
                page.wake.set()

    # Who is let in

    @web.middleware
    async def _guard(
        self, request: web.Request, handler: Callable[[web.Request], object]
    ) -> web.StreamResponse:
        """The same few headers on everything; errors as pages in words."""
        try:
            host = host_named(request.headers.get("Host", ""))
            if not is_one_of(host, socket.gethostname(), self._names):
                # A name that DNS leads here: the page of whoever owns it would read along.
                raise web.HTTPMisdirectedRequest
            response: web.StreamResponse = await handler(request)  # type: ignore[misc]
        except web.HTTPException as error:
            response = _page(closed_html(tr("Nothing here"), tr("There is no such page.")))
            response.set_status(error.status)
        except StoreError as error:
            _log.warning("page_store_failed", error=str(error))
            response = _page(
                closed_html(
                    tr("Not now"), tr("The store cannot be read at the moment; try again soon.")
                )
            )
            response.set_status(503)
        if not response.prepared:
            for name, value in _HEADERS.items():
                response.headers.setdefault(name, value)
        return response

    def _let_in(self, request: web.Request) -> PageDevice | web.Response:
        """The device that asks, or what is answered to who is none."""
        refused = self._refused(request)
        if refused is not None:
            return refused
        key = request.cookies.get(COOKIE, "")
        device = self._devices.get(access_hash(key)) if key else None
        if device is None:
            if key:
                self._patience.note_wrong(request.remote or "", self._clock())
            return _closed()
        self._note_seen(device)
        return device

    def _note_seen(self, device: PageDevice) -> None:
        now_us = self._clock()
        if abs(now_us - self._seen_us.get(device.id, -_SEEN_US)) < _SEEN_US:
            return
        self._seen_us[device.id] = now_us

        def write() -> None:
            try:
                with self._store.write() as connection:
                    note_device_seen(connection, device.id, now_us)
            except StoreError as error:
                _log.warning("device_not_noted", error=str(error))

        self._noting = asyncio.ensure_future(asyncio.to_thread(write))

    def _refused(self, request: web.Request) -> web.Response | None:
        """The answer to somebody who tries key after key."""
        wait_s = self._patience.wait_s(request.remote or "", self._clock())
        if not wait_s:
            return None
        words = tr("Too many wrong links came from here; it is listened to again in {0} s.", wait_s)
        response = _page(closed_html(tr("Wait a little"), words))
        response.set_status(429)
        response.headers["Retry-After"] = str(wait_s)
        return response

    async def _get_link(self, request: web.Request) -> web.StreamResponse:
        refused = self._refused(request)
        if refused is not None:
            return refused
        key = request.match_info["key"]
        if access_hash(key) not in self._devices:
            # One that was made this moment: the notice of it may still be on its way.
            await self.take_devices()
        if access_hash(key) not in self._devices:
            if self._patience.note_wrong(request.remote or "", self._clock()):
                _log.warning("wrong_page_links", peer=request.remote)
            return _closed()
        # Into a cookie, and out of the address: nobody reads it over a shoulder.
        response = web.Response(status=303, headers={"Location": "/"})
        response.set_cookie(
            COOKIE,
            key,
            max_age=_YEAR_S,
            httponly=True,
            samesite="Lax",
            secure=self._tls is not None,
            path="/",
        )
        return response

    # Pages

    async def _get_first(self, request: web.Request) -> web.StreamResponse:
        return await self._sheet_page(request, "")

    async def _get_sheet(self, request: web.Request) -> web.StreamResponse:
        return await self._sheet_page(request, request.match_info["slug"])

    async def _sheet_page(self, request: web.Request, slug: str) -> web.StreamResponse:
        device = self._let_in(request)
        if isinstance(device, web.Response):
            return device
        now_us = self._clock()
        async with self._turn:
            sheet = self._board.sheet(slug)
            if sheet is None and slug:
                raise web.HTTPNotFound
            panes = (
                []
                if sheet is None
                else await asyncio.to_thread(self._board.panes_of, sheet.slug, now_us)
            )
            site, sheets = self._board.site, self._board.sheets
        return _page(page_html(site, sheets, sheet, panes, self._clock_words(now_us)))

    def _clock_words(self, now_us: int) -> str:
        return _minute_words(self._board.site.zone, now_us // MINUTE_US)

    async def _get_css(self, _request: web.Request) -> web.StreamResponse:
        return web.Response(text=page_css(), content_type="text/css")

    async def _get_js(self, _request: web.Request) -> web.StreamResponse:
        return web.Response(text=page_js(), content_type="text/javascript")

    async def _get_mark(self, _request: web.Request) -> web.StreamResponse:
        return web.Response(text=_MARK, content_type="image/svg+xml")

    async def _get_picture(self, request: web.Request) -> web.StreamResponse:
        """The picture of a plan; no other that is kept."""
        device = self._let_in(request)
        if isinstance(device, web.Response):
            return device
        number = int(request.match_info["number"])
        if number not in {one.picture_id for one in self._board.site.plans}:
            raise web.HTTPNotFound
        body = await asyncio.to_thread(self._picture, number)
        if body is None:
            raise web.HTTPNotFound
        # Another picture has another number.
        headers = {"Cache-Control": "private, max-age=86400, immutable"}
        media = checked_picture(body).media
        return web.Response(body=body, content_type=media, headers=headers)

    def _picture(self, number: int) -> bytes | None:
        with self._store.read() as connection:
            return picture_numbered(connection, number)

    # Live

    async def _get_live(self, request: web.Request) -> web.StreamResponse:
        device = self._let_in(request)
        if isinstance(device, web.Response):
            return device
        if len(self._open) >= _MOST_PAGES:
            full = _page(closed_html(tr("Full"), tr("Too many pages are open.")))
            full.set_status(503)
            return full
        slug = request.match_info["slug"]
        page = _OpenPage(slug, device)
        async with self._turn:
            if self._board.sheet(slug) is None:
                raise web.HTTPNotFound
            now_us = self._clock()
            panes = await asyncio.to_thread(self._board.panes_of, slug, now_us)
            # What was missed since the page was made, or while the connection was lost.
            page.panes = {f"p{at}": html for at, html in enumerate(panes)}
            self._open.add(page)
        # Revoked while its sheet was made: nobody told the page, as it was not open yet.
        page.is_gone = device.key_hash not in self._devices
        response = web.StreamResponse(
            headers={**_HEADERS, "Content-Type": "text/event-stream", "X-Accel-Buffering": "no"}
        )
        try:
            await response.prepare(request)
            await response.write(b"retry: 1000\n\n")
            await self._send_what_moves(response, page)
        except ConnectionError:
            _log.debug("page_left", device=device.name)
        finally:
            self._open.discard(page)
        return response

    async def _send_what_moves(self, response: web.StreamResponse, page: _OpenPage) -> None:
        page.wake.set()
        while not self._stopping.is_set():
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(_BEAT_S):
                    await page.wake.wait()
            page.wake.clear()
            if page.is_gone:
                await response.write(b"event: gone\ndata:\n\n")
                return
            if page.is_laid_out_anew:
                await response.write(b"event: anew\ndata:\n\n")
                return
            told = page.taken()
            if not told:
                self._note_seen(page.device)
            clock = self._clock_words(self._clock())
            if not told or clock != page.clock:
                # Without panes it is the sign of life that a page waits for.
                page.clock = clock
                told += f"event: clock\ndata: {clock}\n\n".encode()
            await response.write(told)

    async def _follow(self) -> None:
        """Follow the store for whoever has a page open."""
        looked_us = 0
        while not self._stopping.is_set():
            pause_s = LOOK_S
            try:
                now_us = self._clock()
                is_time = abs(now_us - looked_us) >= _TIME_S * SECOND_US
                if self._board.has_news() or (is_time and self._open):
                    looked_us = now_us
                    async with self._turn:
                        # Within the turn: a page that is being opened has its sheet made already.
                        watched = {page.slug for page in self._open}
                        moved = await asyncio.to_thread(self._board.follow, watched, now_us)
                        self._hand_out(moved)
            except StoreError as error:
                _log.warning("page_store_failed", error=str(error))
                self._board.begin_anew()
                pause_s = _AGAIN_S
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(pause_s):
                    await self._stopping.wait()

    def _hand_out(self, moved: dict[str, SheetUpdate]) -> None:
        for slug, told in moved.items():
            panes = {f"p{at}": html for at, html in told.panes.items()}
            event = _panes_event(panes)
            for page in self._open:
                if page.slug == slug:
                    page.is_laid_out_anew |= told.is_laid_out_anew
                    page.tell(panes, event)


@lru_cache(8)
def _minute_words(zone: str, minute: int) -> str:
    """A minute in words; all open pages ask for the same."""
    moment = datetime_from_time_us(minute * MINUTE_US).astimezone(ZoneInfo(zone))
    return moment.strftime("%a %d %b %H:%M")


def _page(html: str) -> web.Response:
    return web.Response(text=html, content_type="text/html")


def _closed() -> web.Response:
    response = _page(
        closed_html(
            tr("This page needs a link"),
            tr("Ask for one at the machine that keeps the readings: Wall, Sheet, On a phone."),
        )
    )
    response.set_status(403)
    return response
