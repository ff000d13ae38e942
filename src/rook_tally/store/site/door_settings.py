"""Doors a person set up: kept in the store, opened by the collector that runs."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

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
    door_name,
    without_password,
)
from rook_tally.core.errors import UsageError
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change

__all__ = [
    "BluetoothSetting",
    "BrokerSetting",
    "CoapSetting",
    "DoorSetting",
    "DoorSettings",
    "FolderSetting",
    "ModbusSetting",
    "PollSetting",
    "ProbesSetting",
    "SerialSetting",
    "TopicSetting",
    "add_door",
    "change_door",
    "door_name_in",
    "door_settings",
    "put_doors",
    "remove_door",
]

# Made once: msgspec falls over when two threads are the first to decode a type.
_SETTINGS: msgspec.json.Decoder[DoorSettings] = msgspec.json.Decoder(DoorSettings)


class DoorSetting(msgspec.Struct, frozen=True):
    """A door's settings with the number it goes by."""

    number: int
    settings: DoorSettings


def door_settings(connection: Connection) -> list[DoorSetting]:
    """All doors that were set up, oldest first. One of a newer program is passed over."""
    table = schema.door_setting
    found = []
    for row in connection.execute(sa.select(table).order_by(table.c.id)):
        try:
            settings = _SETTINGS.decode(row.document)
        except msgspec.ValidationError:
            continue
        found.append(DoorSetting(row.id, settings))
    return found


def door_name_in(document: str) -> str:
    """What people call the door of a row; one of a newer program by its row alone."""
    try:
        return door_name(_SETTINGS.decode(document))
    except msgspec.ValidationError:
        return "of a newer program"


def add_door(connection: Connection, settings: DoorSettings) -> int:
    """Set a door up; returns its number. Setting up the same door again gives its number."""
    for one in door_settings(connection):
        if one.settings == settings:
            return one.number
    document = msgspec.json.encode(settings).decode()
    inserted = connection.execute(sa.insert(schema.door_setting).values(document=document))
    note_change(connection, Subject.SITE)
    assert inserted.inserted_primary_key is not None
    return int(inserted.inserted_primary_key[0])


def put_doors(connection: Connection, wanted: Sequence[DoorSettings]) -> None:
    """Have these doors and no others. One whose address has no password here, but is there with
    one, keeps it."""
    there = door_settings(connection)
    stay = {one.number for one in there if without_password(one.settings) in wanted}
    for one in there:
        if one.number not in stay and one.settings not in wanted:
            remove_door(connection, one.number)
    known = [without_password(one.settings) for one in there]
    for settings in wanted:
        if settings not in known:
            add_door(connection, settings)


def change_door(connection: Connection, number: int, settings: DoorSettings) -> None:
    """Give a door other settings."""
    table = schema.door_setting
    document = msgspec.json.encode(settings).decode()
    connection.execute(sa.update(table).where(table.c.id == number).values(document=document))
    note_change(connection, Subject.SITE)


def remove_door(connection: Connection, number: int) -> DoorSetting:
    """Take a door away; returns what it was, so that it can be set up again.

    Raises
    ------
    UsageError
        When there is none of that number.
    """
    found = [one for one in door_settings(connection) if one.number == number]
    if not found:
        raise UsageError(f"there is no door {number}", remedy="see rook-tally door list")
    connection.execute(sa.delete(schema.door_setting).where(schema.door_setting.c.id == number))
    note_change(connection, Subject.SITE)
    return found[0]
