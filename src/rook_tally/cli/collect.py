"""`rook-tally collect`."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import typer

from rook_tally.cli.logs import log_to_stderr
from rook_tally.cli.paths import broker_folder, coap_folder
from rook_tally.collector import CollectorSettings, collect
from rook_tally.collector.run import OpenDoors
from rook_tally.core.errors import UsageError
from rook_tally.intake.addresses import Certificate, OutsideBroker, broker_from, endpoint_from
from rook_tally.intake.doors.port_names import serial_port_from
from rook_tally.store.maintenance import open_store
from rook_tally.store.maintenance.opening import WRITERS_CACHE_MB


@dataclass(frozen=True, slots=True)
class CollectWords:
    """The options of `rook-tally collect`."""

    http: str
    broker: str
    tls_cert: Path | None = None
    tls_key: Path | None = None
    broker_ca: Path | None = None
    broker_cert: Path | None = None
    broker_key: Path | None = None
    serial: Sequence[str] = ()
    announce: str = "auto"


def run_collector(where: str, words: CollectWords) -> None:
    """Run a collector in this process until SIGTERM; says on stdout when its doors are open."""
    log_to_stderr()
    endpoint, broker = endpoint_from(words.http), broker_from(words.broker)
    doors = tuple(map(serial_port_from, words.serial))
    tls = _certificate(words.tls_cert, words.tls_key, "--tls-cert", "--tls-key")
    shown = _certificate(words.broker_cert, words.broker_key, "--broker-cert", "--broker-key")
    if isinstance(broker, OutsideBroker):
        broker = replace(broker, authority=words.broker_ca, certificate=shown)
    elif shown is not None or words.broker_ca is not None:
        raise UsageError(
            "certificates for a broker need a broker by URL", remedy="as in mqtts://HOST:PORT"
        )
    announce = _interfaces(words.announce, is_open=not endpoint.is_loopback)
    store = open_store(where, cache_mb=WRITERS_CACHE_MB)

    def ready(doors: OpenDoors) -> None:
        line = {"ready": True, "http": doors.http, "mqtt": doors.mqtt, "store": store.url}
        typer.echo(json.dumps(line))

    settings = CollectorSettings(
        endpoint, broker, broker_folder(store), coap_folder(store), tls, doors, announce
    )
    try:
        asyncio.run(collect(store, settings, ready=ready))
    finally:
        store.close()


def _certificate(
    chain: Path | None, key: Path | None, chain_option: str, key_option: str
) -> Certificate | None:
    if (chain is None) != (key is None):
        raise UsageError(
            "TLS needs a certificate and its key", remedy=f"give {chain_option} and {key_option}"
        )
    return None if chain is None or key is None else Certificate(chain, key)


def _interfaces(text: str, *, is_open: bool) -> tuple[str, ...] | None:
    """Where to announce: nowhere, everywhere, or on the interfaces with these addresses."""
    if text == "off" or (text == "auto" and not is_open):
        return None
    return () if text in ("auto", "all") else tuple(text.split(","))
