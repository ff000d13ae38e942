"""Links a phone opens."""

from __future__ import annotations

import ipaddress
import socket

import pytest

from rook_tally.wall.links import EVERYWHERE, link_to, own_address


@pytest.mark.parametrize("host", EVERYWHERE)
def test_a_page_for_everybody_is_found_by_an_address_of_this_machine(host: str) -> None:
    told = ipaddress.ip_address(own_address(host))
    assert not told.is_unspecified


def test_without_any_network_a_page_is_found_on_this_machine(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    class Unplugged(socket.socket):
        def connect(self, address: object) -> None:
            raise OSError("network is unreachable")

    monkeypatch.setattr(socket, "socket", Unplugged)
    assert own_address("0.0.0.0") == "127.0.0.1"


def test_a_page_for_one_address_is_found_there() -> None:
    assert own_address("192.0.2.7") == "192.0.2.7"


def test_how_a_link_is_written() -> None:
    assert link_to("192.0.2.7", 8470, "fired") == "http://192.0.2.7:8470/link/fired"
    assert link_to("pottery.local", 443, "fired", is_secure=True) == (
        "https://pottery.local:443/link/fired"
    )
    assert link_to("2001:db8::7", 8470, "fired") == "http://[2001:db8::7]:8470/link/fired"
