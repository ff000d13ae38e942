"""`rook-tally door add …`: doors of every sort, set up or tried out."""

from __future__ import annotations

import asyncio
import re
from collections.abc import Callable
from pathlib import Path
from urllib.parse import urlsplit

import msgspec
import typer

from rook_tally import clock
from rook_tally.cli.door_asking import asked_modbus, asked_once, heard_at, last_lines, with_port
from rook_tally.cli.doors import in_words
from rook_tally.cli.first_use import ask_first
from rook_tally.cli.selectors import station_named
from rook_tally.cli.strays import mapped_field
from rook_tally.cli.topics_trial import show_message, try_topics
from rook_tally.core.door_settings import without_password
from rook_tally.core.errors import UsageError
from rook_tally.intake.addresses import endpoint_from
from rook_tally.intake.bounds import LONGEST_ADDRESS, plain_text, shortened
from rook_tally.intake.decode import DecodeSettings
from rook_tally.intake.decode.json_pointer import checked_pointer
from rook_tally.intake.decode.regex_lines import LinePattern, line_pattern_from, pattern_by_example
from rook_tally.intake.doors.port_names import serial_port_from
from rook_tally.intake.files.file_import import quantity_and_unit
from rook_tally.intake.message import Message
from rook_tally.intake.take_in import take_in_again
from rook_tally.intake.topics import topic_pattern_from
from rook_tally.leaving.first_use import first_use
from rook_tally.login import login_name
from rook_tally.store.maintenance import existing_store, open_store
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
    add_door,
    change_door,
    door_settings,
    load_site,
)
from rook_tally.store.site.change_history import noting_changes


def _set_up(
    where: str, settings: DoorSettings, again: tuple[str, Callable[[str], bool]] | None = None
) -> None:
    """Keep a door's settings; what is kept of it as strays is taken in by the new ones."""
    with open_store(where) as store:
        with (
            store.write() as connection,
            noting_changes(connection, who=login_name(), now_us=clock.now_us()),
        ):
            station = getattr(settings, "station", None)
            if isinstance(settings, FolderSetting):
                station_named(load_site(connection), settings.station)
            before = next(
                (one for one in door_settings(connection) if _is_same(one.settings, settings)), None
            )
            if before is None:
                number = add_door(connection, settings)
            else:
                number = before.number
                change_door(connection, number, settings)
            is_known = station is None or load_site(connection).station(station) is not None
        kept = take_in_again(store, *again) if again is not None else 0
    typer.echo(f"{number}  {in_words(settings)}")
    if kept:
        typer.echo(f"{kept} readings that waited were taken in")
    if not is_known:
        typer.echo(f"{station} is no station yet: what it says waits; rook-tally take-in {station}")


def _is_same(one: DoorSettings, other: DoorSettings) -> bool:
    """True if two settings are of the same door, which can be open only once."""
    match one, other:
        case SerialSetting(), SerialSetting():
            return one.path == other.path
        case PollSetting(), PollSetting():
            return one.url == other.url
        case FolderSetting(), FolderSetting():
            return one.path == other.path
        case TopicSetting(), TopicSetting():
            return one.pattern == other.pattern
        case ProbesSetting(), ProbesSetting():
            return one.root == other.root
        case ModbusSetting(), ModbusSetting():
            return (one.address, one.unit) == (other.address, other.unit)
        case CoapSetting(), CoapSetting():
            return one.listen == other.listen
        case BrokerSetting(), BrokerSetting():
            return without_password(one) == without_password(other)
        case BluetoothSetting(), BluetoothSetting():
            return one.adapter == other.adapter
    return False


def add_serial_door(
    where: str,
    path: str,
    *,
    station: str | None,
    baud: int,
    pattern: str,
    names: list[str],
    only_try: bool,
) -> None:
    """Set up a serial port, or show how its last lines would be read."""
    settings = serial_port_from(f"{path}:{baud}" + (f"={station}" if station else ""))
    lines: list[str] = []
    if only_try or pattern == "auto":
        with open_store(where) as store:
            lines = last_lines(store, settings)
    chosen: LinePattern | None = None
    if pattern == "auto":
        chosen = pattern_by_example(lines, dict(map(_numbered, names)))
    elif pattern:
        chosen = line_pattern_from(pattern)
    if chosen is not None:
        settings = msgspec.structs.replace(settings, pattern=chosen.text)
    if only_try:
        typer.echo(in_words(settings))
        for line in lines:
            body = line.encode()
            show_message(line, Message("serial", path, body, 0), DecodeSettings(pattern=chosen))
        if not lines:
            typer.echo(f"{path} is there, and said nothing for some seconds", err=True)
        return
    _set_up(where, settings, ("serial", lambda address: address == path))


def _numbered(text: str) -> tuple[int, str]:
    at, _, name = text.partition("=")
    if not at.isdecimal() or not re.fullmatch(r"[A-Za-z_][A-Za-z0-9_]*", name):
        raise UsageError(f"--name {text!r} says nothing", remedy="write N=FIELD, as in 2=rh")
    return int(at), name


def add_poll_door(
    where: str,
    url: str,
    *,
    station: str,
    every_s: float,
    fields: list[str],
    alone: str,
    only_try: bool,
    is_sure: bool,
) -> None:
    """Set up an address to be asked, or ask it once and show how its answer would be read."""
    parts = urlsplit(url)
    if parts.scheme not in ("http", "https", "coap") or not parts.hostname:
        raise UsageError(
            f"{url!r} is no address", remedy="write http://HOST/PATH or coap://HOST/PATH"
        )
    settings = PollSetting(url, station, every_s, dict(map(_pointed, fields)), alone)
    if only_try:
        message = asyncio.run(asked_once(settings))
        shown = message.body[:300].decode("utf-8", "replace")
        show_message(shown, message, DecodeSettings(field=alone or None, pointers=settings.fields))
        return
    with open_store(where) as store, store.read() as connection:
        ask_first([told for told in [first_use(connection, settings)] if told], is_sure=is_sure)
    _set_up(where, settings, ("poll", lambda address: address == url))


def _pointed(text: str) -> tuple[str, str]:
    name, _, pointer = text.partition("=")
    if not name or not pointer:
        raise UsageError(f"--field {text!r} says nothing", remedy="write NAME=/json/pointer")
    return name, checked_pointer(pointer)


def add_folder_door(
    where: str,
    folder: Path,
    *,
    station: str,
    maps: list[str],
    time_column: str,
    zone: str,
    only_try: bool,
) -> None:
    """Set up a folder to be watched, or show what its newest file would bring."""
    if not folder.is_dir():
        raise UsageError(f"{folder} is no folder", remedy="make it first")
    columns = dict(map(mapped_field, maps))
    for slug, unit in columns.values():
        quantity_and_unit(slug, unit)
    settings = FolderSetting(str(folder.resolve()), station, columns, time_column, zone)
    if only_try:
        _print_trial(where, settings)
        return
    _set_up(where, settings)


def add_coap_door(where: str, listen: str, *, only_try: bool) -> None:
    """Set up CoAP, or show that its address can be opened and who reaches it."""
    endpoint = endpoint_from(listen)
    if only_try:
        _print_trial(where, CoapSetting(str(endpoint)))
        return
    _set_up(where, CoapSetting(str(endpoint)))
    if not endpoint.is_loopback:
        typer.echo(
            "over the network messages are protected by OSCORE, with what "
            "rook-tally station sheet KEY --key … says"
        )


def add_broker_door(where: str, settings: BrokerSetting, *, only_try: bool, is_sure: bool) -> None:
    """Set up a further broker, or listen to it for a moment and show what is said there."""
    from rook_tally.intake.doors.further_broker import outside_broker

    outside_broker(settings)
    if only_try:
        heard = asyncio.run(heard_at(settings))
        for one in heard:
            typer.echo(f"{one.topic}  {shortened(one.body.decode('utf-8', 'replace'))}")
        if not heard:
            typer.echo("it lets us in, and nothing is said there", err=True)
        return
    with open_store(where) as store, store.read() as connection:
        opened = [told for told in [first_use(connection, settings)] if told]
    ask_first(opened, is_sure=is_sure)
    _set_up(where, settings)


def add_bluetooth_door(where: str, adapter: str, *, only_try: bool) -> None:
    """Set up the radio, or show what is heard by it."""
    if only_try:
        _print_trial(where, BluetoothSetting(adapter))
        return
    _set_up(where, BluetoothSetting(adapter))


def add_probes_door(
    where: str, *, every_s: float, only: list[str], root: Path, only_try: bool
) -> None:
    """Set up this machine's own probes, or show what they say."""
    from rook_tally.cli.discover import print_probes

    if only_try:
        print_probes(root, only)
        return
    _set_up(where, ProbesSetting(every_s, tuple(only), str(root.resolve())))


def add_modbus_door(where: str, settings: ModbusSetting, *, only_try: bool, is_sure: bool) -> None:
    """Set up a Modbus device, or ask it once and show what it says."""
    settings = with_port(settings)
    with existing_store(where) as store:
        with store.read() as connection:
            station = load_site(connection).station(settings.station)
            opened = [told for told in [first_use(connection, settings)] if told]
        registers = () if station is None else station.kind.registers
        if not registers:
            raise UsageError(
                f"{settings.station} is no station of a kind with registers",
                remedy="describe them in a kind ([[register]], docs/layouts.md) and add the "
                "station with it",
            )
    if only_try:
        values, troubles = asyncio.run(asked_modbus(settings, registers))
        for one in registers:
            if one.name in values:
                typer.echo(f"{one.name} = {values[one.name]!r}")
        for why in troubles:
            typer.echo(why, err=True)
        return
    ask_first(opened, is_sure=is_sure)
    _set_up(where, settings)


def add_topics_door(
    where: str, pattern: str, *, station: str, only_try: bool, broker: str, for_s: float
) -> None:
    """Set up other people's topics, or listen and show how they would be read."""
    read = topic_pattern_from(pattern, station)
    if not only_try:
        _set_up(
            where,
            TopicSetting(read.text, station),
            ("mqtt", lambda address: read.names_in(address) is not None),
        )
        return
    try_topics(read, broker, for_s)


def _print_trial(where: str, settings: DoorSettings) -> None:
    """Try a door and print what came."""
    from rook_tally.cli.door_trial import try_door

    with open_store(where) as store:
        trial = try_door(store, settings)
    if trial.shown:
        typer.echo(trial.shown)
    for one in trial.values:
        # What came from elsewhere may not steer a terminal.
        told = plain_text(f"{one.name} = {one.value}", LONGEST_ADDRESS)
        typer.echo(f"    {told}{'  is read' if one.is_read else ''}")
    if trial.why:
        typer.echo(trial.why, err=True)
