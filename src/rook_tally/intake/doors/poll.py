"""The polling door: a GET of a station's own address, again and again."""

from __future__ import annotations

import asyncio
import contextlib
import ipaddress
import socket
from collections.abc import AsyncIterator, Callable
from urllib.parse import urljoin, urlsplit

import aiohttp
from aiohttp.abc import ResolveResult
from aiohttp.resolver import ThreadedResolver

from rook_tally.core.errors import DoorError
from rook_tally.core.hosts import is_loopback
from rook_tally.intake.bounds import LARGEST_MESSAGE
from rook_tally.intake.door_protocols import DoorReport, Reception
from rook_tally.intake.doors.background_door import BackgroundDoor
from rook_tally.intake.doors.submit_retry import offered
from rook_tally.intake.message import BodyFormat, IntakeResult, Message
from rook_tally.store.site import DoorState, PollSetting

_MOST_REDIRECTS = 3
_PATIENCE = aiohttp.ClientTimeout(total=20.0, connect=5.0)
_FORMS = {form.value: form for form in BodyFormat}


class PollDoor(BackgroundDoor):
    """Asks one address at its cadence, for as long as it is open."""

    def __init__(
        self,
        settings: PollSetting,
        *,
        reception: Reception,
        report: DoorReport,
        clock: Callable[[], int],
    ) -> None:
        super().__init__(report, clock)
        self._settings = settings
        self._reception = reception

    async def _run(self) -> None:
        loop = asyncio.get_running_loop()
        async with polling_session(self._settings.url) as session:
            due = loop.time()
            while True:
                try:
                    message = await polled(session, self._settings, self._clock)
                except DoorError as error:
                    self._report(DoorState.TRYING, error.what)
                else:
                    self._tell(await offered(self._reception, message))
                # In step with the clock, however long the answer took; what was missed is missed.
                due = max(due + self._settings.every_s, loop.time())
                await asyncio.sleep(due - loop.time())

    def _tell(self, answer: IntakeResult) -> None:
        told = [one.why for one in (*answer.refused, *answer.strays)]
        why = answer.why or (told[0] if told else "")
        self._report(DoorState.OPEN, why)


class _OutwardResolver(ThreadedResolver):
    """Finds addresses of other machines only: a station's name must not lead to this one, nor to
    what hands out credentials on a link-local address."""

    async def resolve(
        self, host: str, port: int = 0, family: socket.AddressFamily = socket.AF_INET
    ) -> list[ResolveResult]:
        found = await super().resolve(host, port, family)
        outward = [one for one in found if is_outward(one["host"])]
        if not outward:
            raise OSError(None, f"{host} leads to this machine itself; name its address instead")
        return outward


def is_outward(address: str) -> bool:
    """True if an address is another machine's, and none that every machine has."""
    told = ipaddress.ip_address(address.partition("%")[0])
    return not (told.is_loopback or told.is_link_local or told.is_unspecified)


def polling_session(url: str) -> aiohttp.ClientSession:
    """A session to ask an address by; a name leads to this machine only where that was set up."""
    host = urlsplit(url).hostname or ""
    is_here = is_loopback(host) or host.endswith(".localhost")
    connector = aiohttp.TCPConnector(resolver=None if is_here else _OutwardResolver())
    return aiohttp.ClientSession(timeout=_PATIENCE, connector=connector)


async def polled(
    session: aiohttp.ClientSession, settings: PollSetting, clock: Callable[[], int]
) -> Message:
    """The address's answer, as a message.

    Raises
    ------
    DoorError
        When it cannot be reached, answers with an error, or with too much; it says which.
    """
    url = settings.url
    try:
        async with _got(session, url) as answer:
            if answer.status != 200:
                raise DoorError(
                    f"{url} answers {answer.status} {answer.reason}", remedy="check the address"
                )
            body = await answer.content.read(LARGEST_MESSAGE + 1)
            # Read until the end or the limit: one read may bring less.
            while len(body) <= LARGEST_MESSAGE and (more := await answer.content.read(65_536)):
                body += more
            form = _FORMS.get(answer.content_type)
    except TimeoutError:
        raise DoorError(f"{url} does not answer", remedy="is it switched on?") from None
    except (aiohttp.ClientError, ValueError, OSError) as error:
        why = str(error) or type(error).__name__
        raise DoorError(f"{url} cannot be reached: {why}", remedy="check the address") from None
    if len(body) > LARGEST_MESSAGE:
        raise DoorError(f"{url} answers more than 1 MiB", remedy="ask for less")
    return Message("poll", url, body, clock(), form, station=settings.station)


@contextlib.asynccontextmanager
async def _got(session: aiohttp.ClientSession, url: str) -> AsyncIterator[aiohttp.ClientResponse]:
    """The answer of an address, redirected within its own host alone.

    Raises
    ------
    DoorError
        When it wants us elsewhere, or in circles.
    """
    where = url
    for _ in range(_MOST_REDIRECTS + 1):
        async with session.get(where, allow_redirects=False) as answer:
            if answer.status not in (301, 302, 303, 307, 308):
                yield answer
                return
            told = urljoin(where, answer.headers.get("Location", ""))
        if urlsplit(told)[:2] != urlsplit(url)[:2]:
            raise DoorError(
                f"{url} sends us to another address, {told[:100]}",
                remedy="set the door up with that address if it is right",
            )
        where = told
    raise DoorError(f"{url} sends us in circles", remedy="check the address")
