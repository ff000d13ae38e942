"""Names by which a request asks for this machine."""

from __future__ import annotations

import ipaddress
from collections.abc import Collection
from functools import lru_cache
from urllib.parse import urlsplit


@lru_cache(1024)
def host_named(header: str) -> str:
    """The host of a Host header, in small letters, without its port; empty where it is none."""
    try:
        return urlsplit(f"//{header}").hostname or ""
    except ValueError:
        return ""


def is_address(host: str) -> bool:
    """True if a host is an IP address; DNS cannot lead that elsewhere."""
    try:
        ipaddress.ip_address(host)
    except ValueError:
        return False
    return True


def is_one_of(host: str, own: str, more: Collection[str] = ()) -> bool:
    """True if a host is an address, or a name of the machine that is called `own`, or one that a
    person said is its."""
    name = own.lower().partition(".")[0]
    known = {"localhost", own.lower(), name, f"{name}.local", *(one.lower() for one in more)}
    return is_address(host) or host in known


@lru_cache(1024)
def is_loopback(host: str) -> bool:
    """True if a host name or address is this machine's own."""
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"
