"""The CoAP door (RFC 7252): readings in by POST or PUT to `/v1/readings`.

From this machine messages may come as they are; over the network they are protected by OSCORE
(RFC 8613) with what a station's access key gives, and refused else.
"""

from __future__ import annotations

import asyncio
import socket
from collections.abc import Callable, Mapping
from pathlib import Path
from urllib.parse import parse_qsl, urlsplit

import msgspec
import structlog
from aiocoap import Context, error
from aiocoap import Message as CoapMessage
from aiocoap.numbers import codes
from aiocoap.oscore_sitewrapper import OscoreSiteWrapper
from aiocoap.resource import Resource, Site, WKCResource

from rook_tally.core.door_settings import CoapSetting
from rook_tally.core.errors import DoorError, StoreError
from rook_tally.core.hosts import is_loopback
from rook_tally.intake.addresses import Endpoint, endpoint_from
from rook_tally.intake.bounds import LARGEST_MESSAGE
from rook_tally.intake.door_protocols import DoorReport, Reception
from rook_tally.intake.doors.answers import PROBLEM_TITLES, answer_counts, is_taken, problem_detail
from rook_tally.intake.doors.background_door import BackgroundDoor
from rook_tally.intake.doors.coap_contexts import (
    SpeakingStation,
    StationContexts,
    speaking_stations,
)
from rook_tally.intake.doors.key_policy import KeyPolicy
from rook_tally.intake.message import BodyFormat, IntakeResult, Message, Problem
from rook_tally.store.base import Store
from rook_tally.store.site import DoorState

# Of the registry of CoAP content formats (IANA).
JSON = 50
COAP_FORMS = {JSON: BodyFormat.JSON, 110: BodyFormat.SENML_JSON, 112: BodyFormat.SENML_CBOR}
_UNTYPED = (None, 0, 42)
_CODES = {
    Problem.UNREADABLE: codes.BAD_REQUEST,
    Problem.EMPTY: codes.UNPROCESSABLE_ENTITY,
    Problem.WRONG_KEY: codes.UNAUTHORIZED,
}
_LEARN_EVERY_S, _AGAIN_S = 2.0, 10.0
_LATER_S = 5

_log = structlog.get_logger(__name__)


class CoapDoor(BackgroundDoor):
    """Listens for as long as it is open.

    `folder` is where security contexts are counted; `controls` are what a station is to be told in
    the answer to what it sends.
    """

    def __init__(
        self,
        settings: CoapSetting,
        *,
        reception: Reception,
        store: Store,
        folder: Path,
        report: DoorReport,
        clock: Callable[[], int],
        controls: Callable[[str], Mapping[str, tuple[str, float | None]]] = lambda _: {},
    ) -> None:
        super().__init__(report, clock)
        self._endpoint = endpoint_from(settings.listen)
        self._store = store
        self._contexts = StationContexts(folder)
        self._readings = _Readings(
            reception, self._contexts, KeyPolicy(store), self._endpoint, clock, controls
        )

    async def _run(self) -> None:
        site = Site()
        core = WKCResource(site.get_resources_as_linkheader, impl_info=None)
        site.add_resource((".well-known", "core"), core)
        site.add_resource(("v1", "readings"), self._readings)
        while True:
            self._contexts.learn(await asyncio.to_thread(self._stations))
            try:
                context = await _serving(site, self._contexts, self._endpoint)
            except DoorError as wrong:
                self._report(DoorState.TRYING, wrong.what)
                await asyncio.sleep(_AGAIN_S)
                continue
            self._report(DoorState.OPEN)
            try:
                while True:
                    await asyncio.sleep(_LEARN_EVERY_S)
                    self._contexts.learn(await asyncio.to_thread(self._stations))
            finally:
                await context.shutdown()
                self._contexts.close()

    def _stations(self) -> list[SpeakingStation]:
        with self._store.read() as connection:
            return speaking_stations(connection)


async def _serving(site: Site, contexts: StationContexts, endpoint: Endpoint) -> Context:
    """A server on that address.

    Raises
    ------
    DoorError
        When the port is another program's, or the address is not this machine's.
    """
    check_free(endpoint)
    try:
        return await Context.create_server_context(
            OscoreSiteWrapper(site, contexts),
            bind=(endpoint.host, endpoint.port),
            transports=["udp6"],
        )
    except (OSError, error.Error) as wrong:
        raise _not_opened(endpoint, wrong) from wrong


def check_free(endpoint: Endpoint) -> None:
    """Do nothing where an address can be opened.

    aiocoap shares its port with whoever wants it too; then half of the messages went astray.

    Raises
    ------
    DoorError
        When the port is another program's, or the address is not this machine's.
    """
    family = socket.AF_INET6 if ":" in endpoint.host else socket.AF_INET
    try:
        with socket.socket(family, socket.SOCK_DGRAM) as trying:
            trying.bind((endpoint.host, endpoint.port))
    except OSError as wrong:
        raise _not_opened(endpoint, wrong) from wrong


def _not_opened(endpoint: Endpoint, wrong: Exception) -> DoorError:
    why = wrong.strerror if isinstance(wrong, OSError) and wrong.strerror else str(wrong)
    return DoorError(f"coap://{endpoint} cannot be opened: {why}", remedy="name another address")


class _Readings(Resource):  # type: ignore[misc]
    """`/v1/readings`."""

    rt = "readings"
    ct = " ".join(map(str, COAP_FORMS))

    def __init__(
        self,
        reception: Reception,
        contexts: StationContexts,
        policy: KeyPolicy,
        endpoint: Endpoint,
        clock: Callable[[], int],
        controls: Callable[[str], Mapping[str, tuple[str, float | None]]],
    ) -> None:
        super().__init__()
        self._reception, self._contexts, self._policy = reception, contexts, policy
        self._endpoint, self._clock, self._controls = endpoint, clock, controls

    async def needs_blockwise_assembly(self, request: CoapMessage) -> bool:
        """Refuse at its first block what would be refused as a whole: blocks are gathered in
        memory."""
        block = request.opt.block1
        if block is not None:
            self._station_of(request)
            if block.start + len(request.payload) > LARGEST_MESSAGE:
                raise error.RequestEntityTooLarge(
                    f"at most {LARGEST_MESSAGE // 1024} KiB a message; nothing was kept"
                )
        return True

    async def render_post(self, request: CoapMessage) -> CoapMessage:
        """Take readings in."""
        station = self._station_of(request)
        query = dict(parse_qsl("&".join(request.opt.uri_query)))
        access_key = query.get("key")
        if station is None and access_key is None:
            is_open = not self._endpoint.is_loopback
            if await self._policy.wants_all_keys(is_open=is_open):
                raise error.Unauthorized("this site wants a key from everybody: ?key=…, or OSCORE")
        declared = request.opt.content_format
        if declared not in COAP_FORMS and declared not in _UNTYPED:
            known = ", ".join(f"{number} ({one.value})" for number, one in COAP_FORMS.items())
            raise error.UnsupportedContentFormat(f"content format {declared} is none of {known}")
        try:
            answer = await self._reception.take(
                Message(
                    door="coap",
                    address=_peer(request),
                    body=request.payload,
                    arrived_us=self._clock(),
                    form=COAP_FORMS.get(declared),
                    station=station or query.get("station"),
                    access_key=None if station else access_key,
                )
            )
        except StoreError as wrong:
            _log.warning("store_failed", address=_peer(request), error=str(wrong))
            later = error.ServiceUnavailable("it could not be kept; send it again").to_message()
            later.opt.max_age = _LATER_S
            return later
        told = self._controls(answer.station) if answer.station is not None else {}
        return _answer(answer, told)

    render_put = render_post

    def _station_of(self, request: CoapMessage) -> str | None:
        """The station whose secret protects a message; None for a program on this machine.

        Raises
        ------
        error.Unauthorized
            When it comes over the network as it is, or the station's access key is another by now.
        """
        context = getattr(request.remote, "security_context", None)
        if context is not None:
            station = self._contexts.station_of(context)
            if station is None:
                raise error.Unauthorized("the access key is another by now")
            return station
        if not is_loopback(_peer(request)):
            raise error.Unauthorized(
                "over the network messages are protected by OSCORE: see the station's sheet"
            )
        return None


def _peer(request: CoapMessage) -> str:
    """The address a message came from."""
    host = urlsplit(f"//{request.remote.hostinfo}").hostname or ""
    return host.removeprefix("::ffff:")


def _answer(answer: IntakeResult, controls: Mapping[str, tuple[str, float | None]]) -> CoapMessage:
    if answer.problem is not None:
        # Diagnostic payloads are plain text (RFC 7252, 5.5.2).
        words = f"{PROBLEM_TITLES[answer.problem]}: {problem_detail(answer)}"
        return CoapMessage(code=_CODES[answer.problem], payload=words.encode())
    if not is_taken(answer) and not answer.stray:
        why = "; ".join(one.why for one in answer.refused[:5])
        return CoapMessage(code=codes.UNPROCESSABLE_ENTITY, payload=why.encode())
    counts = msgspec.json.encode(answer_counts(answer, controls))
    return CoapMessage(code=codes.CHANGED, payload=counts, content_format=JSON)
