"""Addresses as written on the command line: `HOST:PORT`, `builtin:HOST:PORT`, `mqtt://…`, `off`."""

from __future__ import annotations

import socket
import ssl
from dataclasses import dataclass, field
from pathlib import Path
from urllib.parse import unquote, urlsplit

from rook_tally.core.errors import DoorError, UsageError
from rook_tally.core.hosts import is_loopback

_BROKER_PORTS = {"mqtt": 1883, "mqtts": 8883}


@dataclass(frozen=True, slots=True)
class Endpoint:
    """A host and a port; port 0 means any free one."""

    host: str
    port: int

    def __str__(self) -> str:
        return f"[{self.host}]:{self.port}" if ":" in self.host else f"{self.host}:{self.port}"

    @property
    def is_loopback(self) -> bool:
        """True if nobody but this machine can reach it."""
        return is_loopback(self.host)

    @property
    def on_this_machine(self) -> Endpoint:
        """The same port where nobody but this machine can reach it."""
        return self if self.is_loopback else Endpoint(_loopback_beside(self.host), self.port)


def _loopback_beside(host: str) -> str:
    return "::1" if ":" in host else "127.0.0.1"


@dataclass(frozen=True, slots=True)
class BuiltinBroker:
    """The broker we run ourselves, and where it is to listen."""

    endpoint: Endpoint


@dataclass(frozen=True, slots=True)
class Certificate:
    """Files of a certificate chain and its private key, PEM."""

    chain: Path
    key: Path


@dataclass(frozen=True, slots=True)
class OutsideBroker:
    """Somebody else's broker. `authority` is the file of who vouches for it, when not the usual
    ones; `certificate` says who we are."""

    endpoint: Endpoint
    tls: bool = False
    user: str | None = None
    password: str | None = field(default=None, repr=False)
    authority: Path | None = None
    certificate: Certificate | None = None
    # Our own child: its certificate names the machine's public name, not the loopback address.
    is_own: bool = False


def endpoint_from(text: str) -> Endpoint:
    """`HOST:PORT` or `[IPV6]:PORT`; UsageError for anything else."""
    try:
        parts = urlsplit(f"//{text}")
        host, port = parts.hostname, parts.port
    except ValueError:
        host = port = None
    if not host or port is None or parts.path:
        raise UsageError(f"{text!r} is no address", remedy="write HOST:PORT, as in 127.0.0.1:4711")
    return Endpoint(host, port)


def broker_from(text: str) -> BuiltinBroker | OutsideBroker | None:
    """The broker that `--broker` asks for; None for `off`.

    Raises
    ------
    UsageError
        When it cannot be read.
    """
    if text == "off":
        return None
    if text.startswith("builtin:"):
        return BuiltinBroker(endpoint_from(text.removeprefix("builtin:")))
    try:
        parts = urlsplit(text)
        host, port = parts.hostname, parts.port
    except ValueError:
        host = port = None
        parts = urlsplit("")
    if parts.scheme not in _BROKER_PORTS or not host:
        raise UsageError(
            f"{text!r} names no broker",
            remedy="write builtin:HOST:PORT, mqtt://HOST:PORT, mqtts://… or off",
        )
    return OutsideBroker(
        Endpoint(host, port or _BROKER_PORTS[parts.scheme]),
        tls=parts.scheme == "mqtts",
        user=unquote(parts.username) if parts.username else None,
        password=unquote(parts.password) if parts.password else None,
    )


def bound_socket(endpoint: Endpoint) -> socket.socket:
    """A listening socket's beginning: bound, not yet listening.

    Raises
    ------
    DoorError
        When the port is in use or the address is not this machine's.
    """
    try:
        family, kind, protocol, _, address = socket.getaddrinfo(
            endpoint.host, endpoint.port, type=socket.SOCK_STREAM
        )[0]
        bound = socket.socket(family, kind, protocol)
    except OSError as error:
        raise DoorError(
            f"{endpoint} cannot be opened: {error.strerror}", remedy="name another address"
        ) from error
    bound.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        bound.bind(address)
    except OSError as error:
        bound.close()
        in_use = "in use" in (error.strerror or "")
        raise DoorError(
            f"port {endpoint.port} on {endpoint.host} is in use"
            if in_use
            else f"{endpoint} cannot be opened: {error.strerror}",
            remedy="stop the program that holds it, or name another port (0 takes a free one)",
        ) from error
    return bound


def server_tls(certificate: Certificate) -> ssl.SSLContext:
    """The TLS context of a door.

    Raises
    ------
    DoorError
        When a file cannot be read, is none of these, or the two do not belong together.
    """
    context = ssl.create_default_context(ssl.Purpose.CLIENT_AUTH)
    try:
        context.load_cert_chain(certificate.chain, certificate.key)
    except (OSError, ssl.SSLError) as error:
        raise DoorError(
            f"the certificate {certificate.chain} cannot be used: {error.strerror or error}",
            remedy="check both files; the key has to belong to the certificate",
        ) from error
    return context
