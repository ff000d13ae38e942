"""Tallies: how many readings of each station were kept, and what became of the others."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, fields
from operator import attrgetter

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.store.base import schema
from rook_tally.store.base.raw_sql import executed_many

NOBODY = 0
"""The station id under which messages of unknown senders are counted."""


@dataclass(slots=True)
class MessageCounts:
    """Counts of readings. `kept` includes suspect and revised ones.

    `arrival_timed` counts readings kept under their arrival time because the sender's own was
    not believable; `late` those that arrived longer after their own time than the gap rule allows.
    """

    kept: int = 0
    duplicate: int = 0
    revised: int = 0
    suspect: int = 0
    stray: int = 0
    refused: int = 0
    arrival_timed: int = 0
    late: int = 0


_COUNTS = tuple(field.name for field in fields(MessageCounts))
_counts_of = attrgetter(*_COUNTS)
_ADD = (
    f"INSERT INTO tally (station_id, {', '.join(_COUNTS)}) "
    f"VALUES ({', '.join(['?'] * (len(_COUNTS) + 1))}) ON CONFLICT (station_id) DO UPDATE SET "
    + ", ".join(f"{name} = tally.{name} + excluded.{name}" for name in _COUNTS)
)


def add_tallies(connection: Connection, tallies: Mapping[int, MessageCounts]) -> None:
    """Add counts by station id in the running transaction."""
    if not tallies:
        return
    executed_many(connection, _ADD, [(at, *_counts_of(one)) for at, one in tallies.items()])


def tallies(connection: Connection) -> dict[int, MessageCounts]:
    """Counts since the store began, by station id."""
    return {
        row.station_id: MessageCounts(*(getattr(row, name) for name in _COUNTS))
        for row in connection.execute(sa.select(schema.tally))
    }


def total(tallies_by_station: Mapping[int, MessageCounts]) -> MessageCounts:
    """The sum of tallies."""
    return MessageCounts(
        *(sum(getattr(one, name) for one in tallies_by_station.values()) for name in _COUNTS)
    )
