"""Asks for what is served over CoAP at an address of this machine; opened for it where nobody has
it open."""

from __future__ import annotations

import asyncio
import re

from aiocoap import Context, error
from aiocoap import Message as CoapMessage
from aiocoap.numbers import codes
from aiocoap.resource import Resource, Site, WKCResource

from rook_tally.core.errors import DoorError
from rook_tally.intake.addresses import Endpoint
from rook_tally.intake.doors.coap import check_free

_WITHIN_S = 5.0
_EVERYWHERE = {"0.0.0.0": "127.0.0.1", "::": "::1"}
_LINK = re.compile(r"<([^>]+)>")


class _Tried(Resource):  # type: ignore[misc]
    """`/v1/readings` while it is only tried: whoever sends keeps what it has."""

    async def render_post(self, _request: CoapMessage) -> CoapMessage:
        """Refuse it for now."""
        raise error.ServiceUnavailable("this door is only tried; send it again")

    render_put = render_post


async def paths_served(endpoint: Endpoint, *, is_open: bool) -> list[str]:
    """The paths that are answered for at an address (RFC 6690), asked over the network as a station
    would; with `is_open` the collector is asked, else the address is opened for that long.

    Raises
    ------
    DoorError
        When the address is another program's or not this machine's, or nobody answers.
    """
    server = site = None
    if not is_open:
        check_free(endpoint)
        site = Site()
        core = WKCResource(site.get_resources_as_linkheader, impl_info=None)
        site.add_resource((".well-known", "core"), core)
        site.add_resource(("v1", "readings"), _Tried())
    try:
        if site is not None:
            server = await Context.create_server_context(
                site, bind=(endpoint.host, endpoint.port), transports=["udp6"]
            )
        client = await Context.create_client_context(transports=["udp6"])
        try:
            host = _EVERYWHERE.get(endpoint.host, endpoint.host)
            uri = f"coap://{Endpoint(host, endpoint.port)}/.well-known/core"
            asked = client.request(CoapMessage(code=codes.GET, uri=uri))
            async with asyncio.timeout(_WITHIN_S):
                answer = await asked.response
        finally:
            await client.shutdown()
    except (OSError, error.Error, TimeoutError) as wrong:
        raise DoorError(
            f"nobody answers at coap://{endpoint}: {wrong or 'no answer in time'}",
            remedy="name another address, or let UDP through the firewall",
        ) from wrong
    finally:
        if server is not None:
            await server.shutdown()
    return _LINK.findall(answer.payload.decode("utf-8", "replace"))
