"""Links to the page: where this machine is found, and how a link is written."""

from __future__ import annotations

EVERYWHERE = ("0.0.0.0", "::", "")


def own_address(host: str) -> str:
    """The address others on the network reach this machine by, when it listens on `host`.

    Asking the kernel which way a packet would go sends none.
    """
    if host not in EVERYWHERE:
        return host
    # Loaded late: asked when a link is shown and never else.
    import socket

    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as asked:
        try:
            asked.connect(("192.0.2.1", 9))
            return str(asked.getsockname()[0])
        except OSError:
            return "127.0.0.1"


def link_to(address: str, port: int, key: str, *, is_secure: bool = False) -> str:
    """The link a device opens once; from then on it is known there."""
    host = f"[{address}]" if ":" in address else address
    return f"http{'s' if is_secure else ''}://{host}:{port}/link/{key}"
