"""Attributes that stations report beside readings: firmware, status, states of controls."""

from __future__ import annotations

from collections.abc import Mapping

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change

FIRMWARE, STATUS = "firmware", "status"
ONLINE, OFFLINE = "online", "offline"
CONTROL_PREFIX = "controls."
BY_SUFFIX, BY_HAND = ".by", "hand"
"""How a station says who set a control: `controls.NAME.by`, `hand` for a person there."""


class StoredAttribute(msgspec.Struct, frozen=True):
    """A word and since when it has been so."""

    value: str
    since_us: int


def save_attributes(
    connection: Connection, words: Mapping[tuple[int, str], tuple[str, int]]
) -> set[tuple[int, str]]:
    """Keep what stations said: value and moment by station id and name.

    Returns
    -------
    set of (station id, name)
        Those that are new or another than before. A word said again changes nothing.
    """
    table = schema.station_word
    if not words:
        return set()
    before = {
        (row.station_id, row.name): row.value
        for row in connection.execute(
            sa.select(table).where(table.c.station_id.in_({at for at, _ in words}))
        )
    }
    # An empty word takes one back.
    moved = {key for key, (value, _) in words.items() if before.get(key, "") != value}
    for station_id, name in moved:
        value, at_us = words[station_id, name]
        where = (table.c.station_id == station_id) & (table.c.name == name)
        connection.execute(sa.delete(table).where(where))
        connection.execute(
            sa.insert(table).values(station_id=station_id, name=name, value=value, since_us=at_us)
        )
    if any(name in (FIRMWARE, STATUS) for _, name in moved):
        # Part of the site as desks draw it: a station that said offline is silent at once.
        note_change(connection, Subject.SITE)
    if any(name.startswith(CONTROL_PREFIX) for _, name in moved):
        note_change(connection, Subject.REQUESTS)
    return moved


def station_words(connection: Connection) -> dict[int, dict[str, StoredAttribute]]:
    """All words, by station id and name."""
    words: dict[int, dict[str, StoredAttribute]] = {}
    for row in connection.execute(sa.select(schema.station_word)):
        words.setdefault(row.station_id, {})[row.name] = StoredAttribute(row.value, row.since_us)
    return words


def control_reports(connection: Connection, station_id: int) -> dict[str, StoredAttribute]:
    """The states of a station's controls, as it last reported them, by name."""
    table = schema.station_word
    rows = connection.execute(sa.select(table).where(table.c.station_id == station_id))
    return {
        row.name.removeprefix(CONTROL_PREFIX): StoredAttribute(row.value, row.since_us)
        for row in rows
        if row.name.startswith(CONTROL_PREFIX)
    }
