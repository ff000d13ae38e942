"""Discovery by DNS-SD (RFC 6763): our doors announced, stations that announce themselves found,
and whatever else on the network says that it can be asked over HTTP or CoAP.

A station that can be asked announces `_rook-station._tcp` with its address and port, and in its TXT
record `path`, where a GET gives its readings.
"""

from __future__ import annotations

import asyncio
import socket
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import structlog
from zeroconf import IPVersion, ServiceStateChange, Zeroconf
from zeroconf.asyncio import AsyncServiceBrowser, AsyncServiceInfo, AsyncZeroconf

from rook_tally.core.errors import StoreError
from rook_tally.intake.addresses import Endpoint
from rook_tally.intake.door_protocols import DoorReport
from rook_tally.store.base import Store
from rook_tally.store.site import Announced, DoorState, note_announced, withdraw_announced

COLLECTOR_TYPE = "_rook-tally._tcp.local."
STATION_TYPE = "_rook-station._tcp.local."
# What anything that can be asked announces: it may be a station, and it may be a printer.
OTHERS = {"_http._tcp.local.": "http", "_coap._udp.local.": "coap"}
_RESOLVE_MS = 3_000

_log = structlog.get_logger(__name__)


@dataclass(frozen=True, slots=True)
class OpenTo:
    """The addresses to announce: our doors, as the network sees them; nothing is announced where
    it cannot reach the HTTP door."""

    http: Endpoint | None
    mqtt: Endpoint | None
    is_tls: bool


class Discovery:
    """Announces and listens on some interfaces, by their addresses; empty means all."""

    def __init__(
        self,
        doors: OpenTo,
        interfaces: Sequence[str],
        *,
        store: Store,
        report: DoorReport,
        clock: Callable[[], int],
    ) -> None:
        self._doors = doors
        self._interfaces = list(interfaces)
        self._store = store
        self._report = report
        self._clock = clock
        self._zeroconf: AsyncZeroconf | None = None
        self._browser: AsyncServiceBrowser | None = None
        self._looking: set[asyncio.Task[None]] = set()

    async def open(self) -> None:
        """Announce our doors and begin to listen."""
        try:
            self._zeroconf = (
                AsyncZeroconf(interfaces=self._interfaces, ip_version=IPVersion.V4Only)
                if self._interfaces
                else AsyncZeroconf(ip_version=IPVersion.V4Only)
            )
            if self._doors.http is not None:
                registered = await self._zeroconf.async_register_service(
                    self._own_service(self._doors.http), allow_name_change=True
                )
                await registered
        except OSError as error:
            self._report(DoorState.TRYING, f"nothing can be announced: {error.strerror or error}")
            return
        self._browser = AsyncServiceBrowser(
            self._zeroconf.zeroconf, [STATION_TYPE, *OTHERS], handlers=[self._on_change]
        )
        self._report(DoorState.OPEN)

    async def close(self) -> None:
        """Take our announcement back and stop listening."""
        if self._browser is not None:
            await self._browser.async_cancel()
        if self._looking:
            await asyncio.wait(self._looking)
        if self._zeroconf is not None:
            await self._zeroconf.async_unregister_all_services()
            await self._zeroconf.async_close()

    def _own_service(self, http: Endpoint) -> AsyncServiceInfo:
        host = socket.gethostname().split(".")[0] or "rook-tally"
        properties = {"path": "/v1/readings", "tls": "1" if self._doors.is_tls else "0"}
        if self._doors.mqtt is not None:
            properties["mqtt"] = str(self._doors.mqtt.port)
        return AsyncServiceInfo(
            COLLECTOR_TYPE,
            f"{host}.{COLLECTOR_TYPE}",
            addresses=[socket.inet_aton(one) for one in self._interfaces or [_own_address()]],
            port=http.port,
            properties=properties,
            server=f"{host}.local.",
        )

    def _on_change(
        self, zeroconf: Zeroconf, service_type: str, name: str, state_change: ServiceStateChange
    ) -> None:
        if state_change is ServiceStateChange.Removed:
            task = asyncio.create_task(self._forget(_short(name, service_type)))
        else:
            task = asyncio.create_task(self._find(zeroconf, service_type, name))
        self._looking.add(task)
        task.add_done_callback(self._looking.discard)

    async def _find(self, zeroconf: Zeroconf, service_type: str, name: str) -> None:
        told = AsyncServiceInfo(service_type, name)
        if not await told.async_request(zeroconf, _RESOLVE_MS) or told.port is None:
            return
        addresses = told.parsed_addresses()
        if not addresses:
            return
        path = told.decoded_properties.get("path") or "/"
        scheme = OTHERS.get(service_type, "http")
        url = f"{scheme}://{addresses[0]}:{told.port}/{path.lstrip('/')}"
        one = Announced(_short(name, service_type), url, self._clock())
        _log.info("station_announced", name=one.name, url=url)
        await asyncio.to_thread(self._keep, one)

    def _keep(self, one: Announced) -> None:
        try:
            with self._store.write() as connection:
                note_announced(connection, one)
        except StoreError as error:
            _log.warning("announcement_not_kept", name=one.name, error=str(error))

    async def _forget(self, name: str) -> None:
        def forget() -> None:
            try:
                with self._store.write() as connection:
                    withdraw_announced(connection, name)
            except StoreError as error:
                _log.warning("announcement_not_withdrawn", name=name, error=str(error))

        await asyncio.to_thread(forget)


def _short(name: str, service_type: str) -> str:
    return name.removesuffix("." + service_type)


def _own_address() -> str:
    """The address by which this machine reaches the network; nothing is sent to find it."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        try:
            probe.connect(("224.0.0.251", 5353))
        except OSError:
            return "127.0.0.1"
        address: str = probe.getsockname()[0]
        return address
