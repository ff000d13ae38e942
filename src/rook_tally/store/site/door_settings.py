"""Doors a person set up: kept in the store, opened by the collector that runs."""

from __future__ import annotations

from dataclasses import dataclass

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change


class SerialSetting(msgspec.Struct, frozen=True, tag="serial", omit_defaults=True):
    """Lines from a port. `pattern` has a named group a field, for lines in no known form."""

    path: str
    baud: int
    station: str
    pattern: str = ""


class PollSetting(msgspec.Struct, frozen=True, tag="poll", omit_defaults=True):
    """GET of a station's own address, every so often. `fields` are JSON pointers by field; empty
    means that the answer is in one of our forms, or a lone number of field `alone`."""

    url: str
    station: str
    every_s: float
    fields: dict[str, str] = {}
    alone: str = ""


class FolderSetting(msgspec.Struct, frozen=True, tag="folder", omit_defaults=True):
    """A folder in which CSV files of a station appear. `columns` are quantity and unit by column;
    empty means that the names say it."""

    path: str
    station: str
    columns: dict[str, tuple[str, str]] = {}
    time_column: str = ""
    zone: str = ""


class TopicSetting(msgspec.Struct, frozen=True, tag="topics"):
    """Other people's topics: `plant/{place}/{station}/{field}`."""

    pattern: str


class BluetoothSetting(msgspec.Struct, frozen=True, tag="bluetooth", omit_defaults=True):
    """Sensors in radio range; `adapter` empty means the first one."""

    adapter: str = ""


DoorSettings = SerialSetting | PollSetting | FolderSetting | TopicSetting | BluetoothSetting
# Made once: msgspec falls over when two threads are the first to decode a type.
_SETTINGS: msgspec.json.Decoder[DoorSettings] = msgspec.json.Decoder(DoorSettings)


@dataclass(frozen=True, slots=True)
class DoorSetting:
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
