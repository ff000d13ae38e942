"""Whether a request really comes from a program on this machine, and not from a web page in its
browser or through a proxy.

A page can send to any address without asking when it is a simple request (Fetch Standard, 2.2.2):
what it sends then has an origin, a type out of three, or a name for a host that leads here by DNS.
"""

from __future__ import annotations

from collections.abc import Mapping

from rook_tally.core.hosts import host_named, is_loopback

# What a proxy adds to what it passes on.
_FORWARDED = ("forwarded", "x-forwarded-for", "x-real-ip", "via")


def why_not_from_here(peer: str, headers: Mapping[str, str]) -> str:
    """Why a request counts as one from elsewhere; empty for a program on this machine.

    `headers` are found by their names in small letters.
    """
    if not is_loopback(peer):
        return "it comes over the network"
    if any(name in headers for name in _FORWARDED):
        return "it came through a proxy"
    if not is_loopback(host_named(headers.get("host", ""))):
        return "its Host is not a name of this machine"
    if "origin" in headers or headers.get("sec-fetch-site", "none") != "none":
        return "a web page sent it"
    return ""
