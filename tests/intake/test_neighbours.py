"""Addresses that answer: out of the kernel's table, each asked once, others left in peace."""

from __future__ import annotations

import http.server
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import ClassVar

import pytest
from aiocoap import Context
from aiocoap import Message as CoapMessage
from aiocoap.resource import Resource, Site, WKCResource

from rook_tally.intake.doors.neighbours import answering, neighbours
from tests.intake.test_coap import free_udp_port

TABLE = """IP address       HW type     Flags       HW address            Mask     Device
192.168.1.20     0x1         0x2         c4:11:0a:00:00:01     *        wlan0
192.168.1.21     0x1         0x0         00:00:00:00:00:00     *        wlan0
192.168.1.9      0x1         0x6         c4:11:0a:00:00:02     *        eth0
127.0.0.1        0x1         0x2         c4:11:0a:00:00:03     *        lo
169.254.169.254  0x1         0x2         c4:11:0a:00:00:04     *        eth0
192.168.1.20     0x1         0x2         c4:11:0a:00:00:01     *        eth0
nonsense
x y z
"""


def test_neighbours_are_those_the_kernel_has_heard_of(tmp_path: Path) -> None:
    """Not those that never answered it, not this machine, nothing link-local, each once."""
    table = tmp_path / "arp"
    assert neighbours(table) == []
    table.write_text(TABLE)
    assert neighbours(table) == ["192.168.1.20", "192.168.1.9"]


class _Box(http.server.BaseHTTPRequestHandler):
    asked: ClassVar[list[str]] = []

    def do_GET(self) -> None:
        self.asked.append(self.path)
        self.send_response(200)
        self.end_headers()
        self.wfile.write(b'{"air":\n {"t": 21.5}}\x1b[2J' + b" " * 9_000)

    def log_message(self, *_words: object) -> None:
        """Say nothing."""


@pytest.fixture
def box() -> Iterator[int]:
    """Something that answers over HTTP."""
    with http.server.ThreadingHTTPServer(("127.0.0.1", 0), _Box) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        yield server.server_address[1]
        server.shutdown()


class _Air(Resource):  # type: ignore[misc]
    async def render_get(self, _request: CoapMessage) -> CoapMessage:
        return CoapMessage(payload=b'{"t": 20}')


async def test_each_is_asked_once_over_http_and_coap(box: int) -> None:
    site = Site()
    core = WKCResource(site.get_resources_as_linkheader, impl_info=None)
    site.add_resource((".well-known", "core"), core)
    site.add_resource(("air",), _Air())
    port = free_udp_port()
    server = await Context.create_server_context(
        site, bind=("127.0.0.1", port), transports=["udp6"]
    )
    try:
        found = await answering(["127.0.0.1"], http_ports=(box, 9), coap_port=port)
    finally:
        await server.shutdown()
    assert [(one.name, one.says[:24]) for one in found] == [
        (f"http://127.0.0.1:{box}/", '200 {"air": {"t": 21.5}}'),
        (f"coap://127.0.0.1:{port}/air", "can be asked over CoAP"),
    ]
    assert _Box.asked == ["/"]
    # What a stranger says clears nobody's screen.
    assert all(one.says.isprintable() for one in found)


async def test_where_nobody_is_nothing_is_found() -> None:
    assert await answering([]) == []
