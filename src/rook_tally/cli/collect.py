"""`rook-tally collect`."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Sequence
from pathlib import Path

import typer

from rook_tally.cli.logs import log_to_stderr
from rook_tally.cli.places import broker_folder
from rook_tally.collector import CollectorSettings, collect
from rook_tally.collector.run import OpenDoors
from rook_tally.core.errors import UsageError
from rook_tally.intake.addresses import Certificate, broker_from, endpoint_from
from rook_tally.intake.serial_ports import serial_port_from
from rook_tally.store import open_store


def run_collector(
    where: str,
    *,
    http: str,
    broker: str,
    tls_cert: Path | None = None,
    tls_key: Path | None = None,
    serial: Sequence[str] = (),
) -> None:
    """Run a collector in this process until SIGTERM; says on stdout when its doors are open."""
    log_to_stderr()
    endpoint, chosen_broker = endpoint_from(http), broker_from(broker)
    ports = tuple(map(serial_port_from, serial))
    store = open_store(where)

    def ready(doors: OpenDoors) -> None:
        line = {"ready": True, "http": doors.http, "mqtt": doors.mqtt, "store": store.url}
        typer.echo(json.dumps(line))

    if (tls_cert is None) != (tls_key is None):
        raise UsageError(
            "TLS needs a certificate and its key", remedy="give --tls-cert and --tls-key"
        )
    tls = Certificate(tls_cert, tls_key) if tls_cert is not None and tls_key is not None else None
    settings = CollectorSettings(endpoint, chosen_broker, broker_folder(store), tls, ports)
    try:
        asyncio.run(collect(store, settings, ready=ready))
    finally:
        store.close()
