"""`rook-tally door …`: doors listed, told in words, deleted."""

from __future__ import annotations

import shlex

import msgspec
import typer

from rook_tally import clock
from rook_tally.cli.changing import changing
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import (
    BluetoothSetting,
    BrokerSetting,
    CoapSetting,
    DoorSettings,
    FolderSetting,
    ModbusSetting,
    PollSetting,
    ProbesSetting,
    SerialSetting,
    TopicSetting,
    collectors,
    door_settings,
    remove_door,
)


def list_doors(where: str, *, as_json: bool) -> None:
    """Print the doors that were set up, and how those of running collectors stand."""
    with existing_store(where) as store, store.read() as connection:
        told = door_settings(connection)
        running = collectors(connection, now_us=clock.now_us())
    if as_json:
        rows = [{"number": one.number, "settings": one.settings} for one in told]
        typer.echo(msgspec.json.encode(rows).decode())
        return
    for one in told:
        typer.echo(f"{one.number:>3}  {in_words(one.settings)}")
    for collector in running:
        for door in collector.doors:
            why = f": {door.detail}" if door.detail else ""
            typer.echo(f"     {door.name} at {door.address} is {door.state.value}{why}")


def in_words(settings: DoorSettings) -> str:
    """A door's settings as the words that set it up, quoted for a shell."""
    match settings:
        case SerialSetting():
            words = [
                "serial",
                settings.path,
                "--baud",
                str(settings.baud),
                "--station",
                settings.station,
            ]
            if settings.pattern:
                words += ["--pattern", settings.pattern]
        case PollSetting():
            words = [
                "poll",
                settings.url,
                "--station",
                settings.station,
                "--every",
                f"{settings.every_s:g}",
            ]
            for name, at in settings.fields.items():
                words += ["--field", f"{name}={at}"]
            if settings.alone:
                words += ["--alone", settings.alone]
        case FolderSetting():
            words = ["folder", settings.path, "--station", settings.station]
            for name, (slug, unit) in settings.columns.items():
                words += ["--map", f"{name}={slug}:{unit}" if unit else f"{name}={slug}"]
            if settings.time_column:
                words += ["--time", settings.time_column]
            if settings.zone:
                words += ["--zone", settings.zone]
        case TopicSetting():
            words = ["topics", settings.pattern]
            words += ["--station", settings.station] if settings.station else []
        case ProbesSetting():
            words = ["probes", "--every", f"{settings.every_s:g}"]
            words += [word for name in settings.only for word in ("--only", name)]
            words += [] if settings.root == ProbesSetting().root else ["--root", settings.root]
        case ModbusSetting():
            words = ["modbus", settings.address, "--station", settings.station]
            words += ["--every", f"{settings.every_s:g}", "--unit", str(settings.unit)]
            if settings.address.startswith("/"):
                words += ["--baud", str(settings.baud), "--parity", settings.parity]
                words += ["--stop-bits", str(settings.stop_bits)]
        case CoapSetting():
            words = ["coap", "--listen", settings.listen]
        case BrokerSetting():
            words = ["broker", settings.url]
            for option, file in (
                ("--ca", settings.authority),
                ("--cert", settings.certificate),
                ("--key", settings.key),
            ):
                words += [option, file] if file else []
        case BluetoothSetting():
            words = ["bluetooth", *(["--adapter", settings.adapter] if settings.adapter else [])]
    return shlex.join(words)


def remove(where: str, number: int) -> None:
    """Take a door away."""
    with changing(where) as connection:
        gone = remove_door(connection, number)
    typer.echo(f"removed; set it up again with: rook-tally door add {in_words(gone.settings)}")
