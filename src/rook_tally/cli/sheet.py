"""`rook-tally station sheet`: all it takes to connect a station, and senders ready to run."""

from __future__ import annotations

import enum
import json
from importlib import resources

import typer

from rook_tally.cli.choice import station_named
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities import Quantity, Scale
from rook_tally.core.registry import QUANTITIES
from rook_tally.intake.addresses import endpoint_from
from rook_tally.store import Station, load_site, open_store

_HIDDEN_KEY = "KEY"


class Sender(enum.Enum):
    """Ways to send, each with a program ready to run."""

    CURL = "curl"
    MOSQUITTO = "mosquitto"
    PYTHON = "python"
    MICROPYTHON = "micropython"
    ARDUINO = "arduino"


_FILES = {
    Sender.CURL: "curl.sh",
    Sender.MOSQUITTO: "mosquitto.sh",
    Sender.PYTHON: "sender.py.txt",
    Sender.MICROPYTHON: "micropython.py.txt",
    Sender.ARDUINO: "arduino.cpp.txt",
}


def print_sheet(
    where: str, key: str, *, http: str, mqtt: str, access_key: str | None, sender: str | None
) -> None:
    """Print the sheet of a station, or one of its senders alone."""
    store = open_store(where, create=False)
    try:
        with store.read() as connection:
            site = load_site(connection)
    finally:
        store.close()
    station = station_named(site, key)
    fields = {one.field: one.quantity for one in site.series if one.station.id == station.id} or {
        one.name: QUANTITIES[one.quantity] for one in station.kind.fields
    }
    example = {name: _example(quantity) for name, quantity in fields.items()} or {
        "temperature": 21.4
    }
    if sender is not None:
        program = sender_program(_sender(sender), station, example, http, mqtt, access_key)
        typer.echo(program, nl=False)
        return
    shown = access_key or "hidden; a new one: rook-tally station key " + key
    typer.echo(
        f"{station.key}, {station.kind.name}, at {station.place.name}, "
        f"every {station.cadence_s:g} s\n"
        f"HTTP        http://{http}/v1/readings\n"
        f"MQTT        {mqtt}, topic {topic_of(station)}, QoS 1\n"
        f"access key  {shown}\n"
        f"for example {json.dumps(example, ensure_ascii=False)}\n\n"
        "programs: " + ", ".join(f"--sender {one.value}" for one in Sender)
    )


def _sender(name: str) -> Sender:
    try:
        return Sender(name)
    except ValueError:
        raise UsageError(
            f"there is no sender {name!r}",
            remedy="known: " + ", ".join(one.value for one in Sender),
        ) from None


def topic_of(station: Station) -> str:
    """Where a station publishes its readings."""
    return f"rook/{station.key}/readings"


def _example(quantity: Quantity) -> float | bool:
    """A value that would be believed: somewhere quiet within the believable range."""
    if quantity.scale is Scale.STATE:
        return True
    low, high = quantity.believable
    lower = [limit for limit in quantity.limits.below if limit is not None]
    upper = [limit for limit in quantity.limits.above if limit is not None]
    settled_low, settled_high = max([low, *lower]), min([high, *upper])
    return round(settled_low + 0.4 * (settled_high - settled_low), quantity.decimals)


def sender_program(
    sender: Sender,
    station: Station,
    example: dict[str, float | bool],
    http: str,
    mqtt: str,
    access_key: str | None,
) -> str:
    """A program that sends what this station's fields are."""
    broker = endpoint_from(mqtt)
    text = json.dumps(example, ensure_ascii=False)
    senders = resources.files("rook_tally.cli").joinpath("senders")
    template = senders.joinpath(_FILES[sender]).read_text("utf-8")
    formats, arguments = _printf(example)
    return template.format(
        station=station.key, http=http, key=access_key or _HIDDEN_KEY, topic=topic_of(station),
        mqtt_host=broker.host, mqtt_port=broker.port, example=text, example_python=repr(example),
        example_printf=formats, example_arguments=arguments, cadence_s=station.cadence_s,
        cadence_ms=round(1000 * station.cadence_s),
    )  # fmt: skip


def _printf(example: dict[str, float | bool]) -> tuple[str, str]:
    """The same object as a C format and its arguments."""
    parts, arguments = [], []
    for name, value in example.items():
        quoted = json.dumps(name).replace('"', '\\"')
        if isinstance(value, bool):
            parts.append(f"{quoted}: {json.dumps(value)}")
        else:
            parts.append(f"{quoted}: %.3f")
            arguments.append(f", {float(value)!r}")
    return "{" + ", ".join(parts) + "}", "".join(arguments)
