"""`rook-tally ports`, `nearby` and `announced`."""

from __future__ import annotations

import asyncio
import threading
from pathlib import Path

import typer

from rook_tally.core.ble_distance import distance_in_words, rough_distance_m
from rook_tally.core.door_settings import ModbusSetting
from rook_tally.core.in_reach import Reachable
from rook_tally.core.quantities.modbus_map import RegisterTable
from rook_tally.intake.doors.port_names import PortHere, ports_here
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import announced

_LOOK_S = 0.5


def print_ports(*, follow: bool) -> None:
    """Print the serial ports, and with `follow` each that comes or goes."""
    here = ports_here()
    for one in here:
        typer.echo(_told(one))
    if not here:
        typer.echo("no serial port is here", err=True)
    while follow:
        threading.Event().wait(_LOOK_S)
        now = ports_here()
        for one in now:
            if one not in here:
                typer.echo(f"+ {_told(one)}")
        for one in here:
            if one not in now:
                typer.echo(f"- {_told(one)}")
        here = now


def _told(one: PortHere) -> str:
    return f"{one.path:<20} {one.what}".rstrip()


def print_probes(root: Path, only: list[str]) -> None:
    """Print the probes of this machine, those of `only` or all, with what they say."""
    from rook_tally.intake.doors.sysfs import probes_in, read_probe

    found = {name: told for name, told in probes_in(root).items() if not only or name in only}
    for name, (device, channels) in found.items():
        typer.echo(f"{name:<28} {device}")
        for one in read_probe(name, device, channels).values:
            told = one.why if one.value is None else f"{one.value:g} {one.unit}".rstrip()
            typer.echo(f"    {one.field:<24} {told}")
    if not found:
        typer.echo("no probe was found", err=True)


def print_nearby(*, for_s: float, adapter: str) -> None:
    """Listen for a while and print who is in range, the nearest first."""
    from rook_tally.intake.doors.bluetooth_air import in_range, said_by

    found = asyncio.run(in_range(for_s, adapter))
    for one in sorted(found, key=lambda one: -one.rssi):
        how = said_by(one)
        typer.echo(
            f"{one.key:<18} {one.name:<20} {one.rssi:>4} dBm  "
            f"{distance_in_words(rough_distance_m(one.rssi)):<13} {how}"
        )
    if not found:
        typer.echo("nothing was heard", err=True)


def answering_addresses() -> tuple[Reachable, ...]:
    """The addresses that answer, of the machines this one has spoken with of late."""
    from rook_tally.intake.doors.neighbours import answering, neighbours

    return tuple(asyncio.run(answering(neighbours())))


def print_answering() -> None:
    """Print the addresses that answer, with how to have each asked."""
    found = answering_addresses()
    for one in found:
        typer.echo(f"{one.name:<32} {one.says}")
        typer.echo(f"{'':<32} rook-tally door add poll {one.name} --station NAME --try")
    if not found:
        typer.echo("of the machines this one has spoken with of late none answers", err=True)


def print_announced(where: str) -> None:
    """Print the stations that announce themselves."""
    with existing_store(where) as store, store.read() as connection:
        found = announced(connection)
    for one in found:
        typer.echo(f"{one.name:<20} {one.url}")
        typer.echo(f"{'':<20} rook-tally door add poll {one.url} --station {one.name}")
    if not found:
        typer.echo("nobody announces itself (the collector listens when it has --announce)")


def print_registers(
    settings: ModbusSetting, table: RegisterTable, at: int, count: int, *, low_word_first: bool
) -> None:
    """Print a stretch of a Modbus device's registers, and what each could be."""
    from rook_tally.cli.door_trial import read_registers
    from rook_tally.desk.stations.registers_model import TYPES, RegistersAnswer, rows_of

    told = read_registers(settings, table, at, count)
    heads = ("value",) if table.is_bits else tuple(one.value for one in TYPES)
    typer.echo(f"{'at':>6}  {'raw':<6}" + "".join(f"{one:>14}" for one in heads))
    for row in rows_of(RegistersAnswer(table, at, told), low_word_first=low_word_first):
        cells = "".join(f"{one:>14}" for one in row.values[: len(heads)])
        typer.echo(f"{row.at:>6}  {row.raw:<6}{cells}".rstrip())
