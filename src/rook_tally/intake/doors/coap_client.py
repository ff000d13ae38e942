"""The polling door over CoAP: a GET of a station's own address, or its notifications (RFC 7641)."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from urllib.parse import urlsplit

from aiocoap import Context, error
from aiocoap import Message as CoapMessage
from aiocoap.numbers import codes

from rook_tally.core.door_settings import PollSetting
from rook_tally.core.errors import DoorError
from rook_tally.core.hosts import is_loopback
from rook_tally.intake.bounds import LARGEST_MESSAGE
from rook_tally.intake.door_protocols import DoorReport, Reception
from rook_tally.intake.doors.background_door import BackgroundDoor
from rook_tally.intake.doors.coap import COAP_FORMS
from rook_tally.intake.doors.poll import is_outward
from rook_tally.intake.doors.submit_retry import offered
from rook_tally.intake.message import Message
from rook_tally.store.site import DoorState

_PATIENCE_S = 20.0
_COAP_PORT = 5683
# A notification is fresh for Max-Age (60 s unless told), and may be a while on its way.
_USUAL_MAX_AGE_S, _LATE_S = 60, 20.0


class CoapPollDoor(BackgroundDoor):
    """Has an address tell its readings: by itself where it can, asked at its cadence where not."""

    def __init__(
        self,
        settings: PollSetting,
        *,
        reception: Reception,
        report: DoorReport,
        clock: Callable[[], int],
    ) -> None:
        super().__init__(report, clock)
        self._settings, self._reception = settings, reception

    async def _run(self) -> None:
        loop = asyncio.get_running_loop()
        context = await Context.create_client_context(transports=["udp6"])
        try:
            due = loop.time()
            while True:
                try:
                    await self._follow(context)
                except DoorError as wrong:
                    self._report(DoorState.TRYING, wrong.what)
                due = max(due + self._settings.every_s, loop.time())
                await asyncio.sleep(due - loop.time())
        finally:
            await context.shutdown()

    async def _follow(self, context: Context) -> None:
        """Ask once, and go on with what the address tells by itself, until it falls silent.

        Raises
        ------
        DoorError
            When it does not answer, or with an error, or no more.
        """
        settings = self._settings
        await check_way(settings.url)
        asked = context.request(CoapMessage(code=codes.GET, uri=settings.url, observe=0))
        try:
            answer = await _answered(settings.url, asked.response)
            await self._take(answer)
            if answer.opt.observe is None:
                return
            told = aiter(asked.observation)
            while True:
                # Each holds for its own Max-Age; whoever is still there then tells again.
                silent_s = (answer.opt.max_age or _USUAL_MAX_AGE_S) + _LATE_S
                answer = await _answered(settings.url, anext(told), within_s=silent_s)
                await self._take(answer)
        finally:
            if not asked.observation.cancelled:
                asked.observation.cancel()

    async def _take(self, answer: CoapMessage) -> None:
        message = _message(self._settings, answer, self._clock())
        result = await offered(self._reception, message)
        told = [one.why for one in (*result.refused, *result.strays)]
        self._report(DoorState.OPEN, result.why or (told[0] if told else ""))


async def coap_polled(settings: PollSetting, clock: Callable[[], int]) -> Message:
    """The address's answer, as a message.

    Raises
    ------
    DoorError
        When it cannot be reached, answers with an error, or with too much; it says which.
    """
    await check_way(settings.url)
    context = await Context.create_client_context(transports=["udp6"])
    try:
        asked = context.request(CoapMessage(code=codes.GET, uri=settings.url))
        return _message(settings, await _answered(settings.url, asked.response), clock())
    finally:
        await context.shutdown()


async def check_way(url: str) -> None:
    """Raise DoorError unless an address can be found, and leads to another machine where it is a
    name: what stands behind it could be made to lead here."""
    parts = urlsplit(url)
    host = parts.hostname or ""
    try:
        found = await asyncio.get_running_loop().getaddrinfo(host, parts.port or _COAP_PORT)
    except OSError as wrong:
        raise DoorError(
            f"{url} cannot be found: {wrong.strerror}", remedy="check the address"
        ) from None
    is_here = is_loopback(host) or host.endswith(".localhost")
    if not is_here and not any(is_outward(str(one[4][0])) for one in found):
        raise DoorError(f"{host} leads to this machine itself", remedy="name its address instead")


async def _answered(
    url: str, waiting: asyncio.Future[CoapMessage], *, within_s: float = _PATIENCE_S
) -> CoapMessage:
    try:
        async with asyncio.timeout(within_s):
            answer = await waiting
    except TimeoutError:
        raise DoorError(f"{url} does not answer", remedy="is it switched on?") from None
    except (error.Error, OSError) as wrong:
        why = str(wrong) or type(wrong).__name__
        raise DoorError(f"{url} cannot be reached: {why}", remedy="check the address") from None
    except StopAsyncIteration:
        raise DoorError(f"{url} tells nothing by itself any more", remedy="") from None
    if not answer.code.is_successful():
        words = answer.payload[:100].decode("utf-8", "replace")
        raise DoorError(f"{url} answers {answer.code} {words}".rstrip(), remedy="check the address")
    if len(answer.payload) > LARGEST_MESSAGE:
        raise DoorError(f"{url} answers more than 1 MiB", remedy="ask for less")
    return answer


def _message(settings: PollSetting, answer: CoapMessage, now_us: int) -> Message:
    form = COAP_FORMS.get(answer.opt.content_format)
    return Message("poll", settings.url, answer.payload, now_us, form, station=settings.station)
