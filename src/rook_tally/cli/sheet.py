"""`rook-tally station sheet`: all it takes to connect a station, and senders ready to run."""

from __future__ import annotations

from pathlib import Path

import typer

from rook_tally.cli.selectors import station_named
from rook_tally.clock import now_us
from rook_tally.core.errors import UsageError
from rook_tally.core.oscore_keys import oscore_keys
from rook_tally.core.quantities.connection_sheet import ConnectionSheet, Sender, example_message
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.intake.addresses import endpoint_from
from rook_tally.program_files import write_program
from rook_tally.store.base import access_hash
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import collectors, load_site
from rook_tally.store.site.firmware import signing_key
from rook_tally.wall.links import station_addresses


def print_sheet(
    where: str,
    key: str,
    *,
    http: str | None,
    mqtt: str | None,
    access_key: str | None,
    sender: str | None,
    into: Path | None = None,
) -> None:
    """Print the sheet of a station, or one of its senders alone, or write that into a folder."""
    with existing_store(where) as store, store.read() as connection:
        site = load_site(connection)
        heard = collectors(connection, now_us=now_us())
        firmware_key = signing_key(connection)
    for told in (http, mqtt):
        if told is not None:
            endpoint_from(told)
    station = station_named(site, key)
    fields = {one.field: one.quantity for one in site.series if one.station.id == station.id} or {
        one.name: QUANTITIES[one.quantity] for one in station.kind.fields
    }
    at = station_addresses(heard, http=http, mqtt=mqtt)
    sheet = ConnectionSheet(
        key,
        station.cadence_s,
        at.http,
        at.mqtt_host,
        at.mqtt_port,
        example_message(fields),
        at.coap,
        station.kind.slug,
        "" if firmware_key is None else firmware_key.public,
    )
    if into is not None:
        if sender is None:
            raise UsageError("no program is named", remedy="say which, with --sender")
        for path in write_program(into, sheet.files(_sender(sender), access_key)):
            typer.echo(path)
        return
    if sender is not None:
        typer.echo(sheet.program(_sender(sender), access_key), nl=False)
        return
    coap = ""
    if sheet.coap:
        secret = "its access key gives its secret: --key"
        if access_key is not None:
            secret = oscore_keys(station.id, access_hash(access_key)).words
        coap = f"CoAP        {sheet.coap_address}, {secret}\n"
    shown = access_key or "hidden; a new one: rook-tally station key " + key
    typer.echo(
        f"{station.key}, {station.kind.name}, at {station.place.name}, "
        f"every {station.cadence_s:g} s\n"
        f"HTTP        {sheet.http_address}\n"
        f"MQTT        {at.mqtt_host}:{at.mqtt_port}, topic {sheet.topic}, QoS 1, "
        f"user {key}, password its access key\n"
        f"{coap}"
        f"access key  {shown}\n"
        f"for example {sheet.example_text}\n\n"
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
