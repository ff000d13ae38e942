"""Where this machine is found by others: links to its pages, addresses that stations send to."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from rook_tally.store.site import Collector

USUAL_HTTP, USUAL_MQTT = "127.0.0.1:4711", "127.0.0.1:4712"
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


@dataclass(frozen=True, slots=True)
class StationAddresses:
    """Where a station reaches the doors: host and port of HTTP, of MQTT, of CoAP where that door is
    open."""

    http: str
    mqtt_host: str
    mqtt_port: int
    coap: str = ""


def station_addresses(
    collectors: Iterable[Collector], *, http: str | None = None, mqtt: str | None = None
) -> StationAddresses:
    """Where stations reach the doors that are open; the usual ones where none is. `http` and `mqtt`
    are told by a person instead, as HOST:PORT."""
    doors = {door.name: door.address for each in collectors for door in each.doors}
    http_host, _, http_port = (http or doors.get("http", USUAL_HTTP)).rpartition(":")
    mqtt_host, _, mqtt_port = (mqtt or doors.get("mqtt", USUAL_MQTT)).rpartition(":")
    coap_host, _, coap_port = doors.get("coap", "").rpartition(":")
    return StationAddresses(
        # A door that listens everywhere is reached by the address of this machine.
        f"{own_address(http_host.strip('[]'))}:{http_port}",
        own_address(mqtt_host.strip("[]")),
        int(mqtt_port),
        f"{own_address(coap_host.strip('[]'))}:{coap_port}" if coap_port else "",
    )
