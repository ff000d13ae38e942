"""Addresses that answer: the machines this one has spoken with of late, each asked once over HTTP
and CoAP, when a person wants it. No other address is tried."""

from __future__ import annotations

import asyncio
import re
from collections.abc import Sequence
from pathlib import Path

import aiohttp
import structlog

from rook_tally.core.in_reach import Reachable, ReachSort
from rook_tally.intake.bounds import plain_text
from rook_tally.intake.doors.poll import is_outward

NEIGHBOUR_TABLE = Path("/proc/net/arp")
"""The kernel's table of neighbours (proc_net_arp): an address a line, with flags."""
HTTP_PORTS, COAP_PORT = (80, 8080), 5683
_INCOMPLETE = 0
_MOST, _AT_ONCE, _WITHIN_S = 256, 32, 3.0
_READ, _SHOWN = 4096, 120
_LINK = re.compile(r"<([^>]+)>")

_log = structlog.get_logger(__name__)


def neighbours(table: Path = NEIGHBOUR_TABLE) -> list[str]:
    """The addresses of other machines in the table of neighbours; none where it cannot be read."""
    try:
        lines = table.read_text("ascii", "replace").splitlines()[1:]
    except OSError as error:
        _log.info("neighbours_not_read", why=str(error))
        return []
    found: list[str] = []
    for line in lines:
        cells = line.split()
        try:
            is_there = int(cells[2], 16) != _INCOMPLETE and is_outward(cells[0])
        except (IndexError, ValueError):
            continue
        if is_there:
            found.append(cells[0])
    return sorted(dict.fromkeys(found))[:_MOST]


async def answering(
    addresses: Sequence[str], *, http_ports: Sequence[int] = HTTP_PORTS, coap_port: int = COAP_PORT
) -> list[Reachable]:
    """Those that answer, by the address to be asked, with the beginning of what they say."""
    turns = asyncio.Semaphore(_AT_ONCE)
    limit = aiohttp.ClientTimeout(total=_WITHIN_S)
    async with aiohttp.ClientSession(timeout=limit) as session:

        async def over_http(address: str, port: int) -> list[Reachable]:
            where = address if port == 80 else f"{address}:{port}"
            async with turns:
                return await _asked(session, f"http://{where}/")

        tried = [over_http(one, port) for one in addresses for port in http_ports]
        several = await asyncio.gather(*tried, _over_coap(addresses, coap_port))
    return [one for found in several for one in found]


async def _asked(session: aiohttp.ClientSession, url: str) -> list[Reachable]:
    try:
        async with session.get(url, allow_redirects=False) as answer:
            body = await answer.content.read(_READ)
            says = " ".join(body.decode("utf-8", "replace").split())
            words = says if answer.status == 200 else answer.reason or ""
            # What a stranger says is shown in a terminal too: nothing in it may steer that.
            told = plain_text(f"{answer.status} {words}".strip(), _SHOWN)
            return [Reachable(ReachSort.ADDRESS, url, told)]
    except (aiohttp.ClientError, TimeoutError, ValueError, OSError):
        # Nobody is there, or who is there does not speak it: that is no news.
        return []


async def _over_coap(addresses: Sequence[str], port: int) -> list[Reachable]:
    """What each has to be asked for (RFC 6690)."""
    if not addresses:
        return []
    from aiocoap import Context, error
    from aiocoap import Message as CoapMessage
    from aiocoap.numbers import codes

    try:
        context = await Context.create_client_context(transports=["udp6"])
    except OSError as wrong:
        _log.info("neighbours_not_asked", over="coap", why=str(wrong))
        return []

    async def ask(address: str) -> list[Reachable]:
        where = address if port == COAP_PORT else f"{address}:{port}"
        asked = CoapMessage(code=codes.GET, uri=f"coap://{where}/.well-known/core")
        try:
            async with asyncio.timeout(_WITHIN_S):
                answer = await context.request(asked).response
        except (error.Error, TimeoutError, OSError):
            return []
        paths = _LINK.findall(answer.payload.decode("utf-8", "replace"))
        told = [one for one in paths if not one.startswith("/.well-known")]
        return [
            Reachable(ReachSort.ADDRESS, f"coap://{where}{path}", "can be asked over CoAP")
            for path in told
            if path.startswith("/") and path.isprintable() and len(path) <= _SHOWN
        ]

    try:
        found = await asyncio.gather(*map(ask, addresses))
    finally:
        await context.shutdown()
    return [one for several in found for one in several]
