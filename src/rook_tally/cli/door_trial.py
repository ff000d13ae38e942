"""Asks an address or a device once, for a window that is about to set it up."""

from __future__ import annotations

import asyncio
from collections.abc import Iterator

from rook_tally.cli.door_asking import asked_modbus, asked_once, heard_at, last_lines, with_port
from rook_tally.cli.heard_trial import try_bluetooth, try_coap, try_folder, try_probes, try_topics
from rook_tally.core.door_settings import (
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
)
from rook_tally.core.errors import DecodeError, UsageError
from rook_tally.core.quantities.message_bytes import Json
from rook_tally.core.quantities.modbus_map import RegisterTable
from rook_tally.desk.data.door_trial import DoorTrial, TriedValue
from rook_tally.intake.bounds import DEEPEST, shortened
from rook_tally.intake.decode import DecodeSettings, decoded
from rook_tally.intake.decode.json_text import parsed
from rook_tally.intake.decode.regex_lines import line_pattern_from, pattern_by_example
from rook_tally.intake.message import Message
from rook_tally.store.base import Store
from rook_tally.store.site import load_site

_MOST_VALUES, _SHOWN = 200, 300


def try_door(store: Store, settings: DoorSettings) -> DoorTrial:
    """Ask once by these settings, or listen for a moment; nothing is taken in.

    Raises
    ------
    UsageError
        When there is nothing to ask by them: no folder, no pattern, a station without registers.
    DoorError
        When it does not answer.
    """
    match settings:
        case PollSetting():
            message = asyncio.run(asked_once(settings))
            return _of_answer(message, settings)
        case ModbusSetting():
            return _of_device(store, settings)
        case BrokerSetting():
            return _of_broker(settings)
        case SerialSetting():
            return _of_lines(store, settings)
        case FolderSetting():
            return try_folder(store, settings)
        case TopicSetting():
            return try_topics(store, settings)
        case CoapSetting():
            return try_coap(store, settings)
        case BluetoothSetting():
            return try_bluetooth(store, settings)
        case ProbesSetting():
            return try_probes(settings)


def read_registers(
    settings: ModbusSetting, table: RegisterTable, at: int, count: int
) -> tuple[int | bool, ...]:
    """Ask a Modbus device for a stretch of its table.

    Raises
    ------
    DoorError
        When it does not answer, or has no such registers.
    """
    from rook_tally.intake.doors.modbus import registers_from

    return asyncio.run(registers_from(with_port(settings), table, at, count))


def _of_lines(store: Store, settings: SerialSetting) -> DoorTrial:
    """Read the last lines of a port, or listen to it; make a pattern of them where they are in no
    form of ours."""
    lines = last_lines(store, settings)
    if not lines:
        raise UsageError(
            f"{settings.path} is there, and said nothing for some seconds",
            remedy="try its baud; or save the port: its lines wait until they can be read",
        )
    given = line_pattern_from(settings.pattern) if settings.pattern else None
    pattern, proposed = given, ""
    if pattern is None:
        try:
            decoded(Message("serial", settings.path, lines[0].encode(), 0))
        except DecodeError:
            pattern = pattern_by_example(lines, {})
            proposed = pattern.text
    message = Message("serial", settings.path, lines[0].encode(), 0)
    try:
        read = decoded(message, DecodeSettings(pattern=pattern))
    except DecodeError as error:
        return DoorTrial(lines[0], (), str(error))
    values = tuple(TriedValue(one.field, f"{one.value}", is_read=True) for one in read.items)
    return DoorTrial(lines[0], values[:_MOST_VALUES], "", proposed)


def _of_broker(settings: BrokerSetting) -> DoorTrial:
    told = asyncio.run(heard_at(settings))
    values = [
        TriedValue(one.topic, shortened(one.body.decode("utf-8", "replace"), _SHOWN))
        for one in told[:_MOST_VALUES]
    ]
    return DoorTrial(
        "", tuple(values), "" if values else "it lets us in, and nothing is said there"
    )


def _of_answer(message: Message, settings: PollSetting) -> DoorTrial:
    shown = shortened(message.body.decode("utf-8", "replace"), _SHOWN)
    hints = DecodeSettings(field=settings.alone or None, pointers=settings.fields)
    values = []
    why = ""
    try:
        read = decoded(message, hints)
        values = [
            TriedValue(one.field, f"{one.value} {one.unit or ''}".strip(), is_read=True)
            for one in read.items[:_MOST_VALUES]
        ]
        why = "; ".join(one.why for one in read.refused[:5])
    except DecodeError as error:
        why = str(error)
    try:
        document = parsed(message.body)
    except DecodeError:
        return DoorTrial(shown, tuple(values), why)
    taken = set(settings.fields.values())
    # What the settings pick is among what the answer holds.
    picked = {pointer: name for name, pointer in settings.fields.items()}
    leaves = [
        TriedValue(picked.get(pointer, name), value, pointer, pointer in taken)
        for pointer, name, value in _leaves(document, "")
    ]
    return DoorTrial(shown, tuple(leaves[:_MOST_VALUES] or values), why)


def _leaves(
    document: Json, pointer: str, name: str = "", depth: int = 0
) -> Iterator[tuple[str, str, str]]:
    """Pointers to everything that could be a reading, with a name and the value as it is."""
    if depth > DEEPEST:
        return
    if isinstance(document, dict):
        for key, value in document.items():
            step = key.replace("~", "~0").replace("/", "~1")
            yield from _leaves(value, f"{pointer}/{step}", key, depth + 1)
    elif isinstance(document, list):
        for at, value in enumerate(document):
            yield from _leaves(value, f"{pointer}/{at}", f"{name}{at}", depth + 1)
    elif pointer and document is not None:
        yield pointer, _field_name(name), str(document)


def _field_name(text: str) -> str:
    """A name that a field can have, such as it stands in the answer."""
    told = "".join(sign if sign.isalnum() else "_" for sign in text).strip("_")
    return told or "value"


def _of_device(store: Store, settings: ModbusSetting) -> DoorTrial:
    with store.read() as connection:
        station = load_site(connection).station(settings.station)
    registers = () if station is None else station.kind.registers
    if not registers:
        raise UsageError(
            f"{settings.station} is no station of a kind with registers",
            remedy="describe them in a kind, and give the station that kind",
        )
    values, troubles = asyncio.run(asked_modbus(settings, registers))
    told = tuple(
        TriedValue(one.name, f"{values[one.name]:g}", is_read=True)
        for one in registers
        if one.name in values
    )
    return DoorTrial("", told, "; ".join(troubles))
