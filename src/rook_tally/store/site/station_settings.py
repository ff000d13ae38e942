"""What a person settles of a station: where it stands, its kind, its cadence."""

from __future__ import annotations

import math

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.site.configuration import add_place
from rook_tally.store.site.kinds import kinds
from rook_tally.store.site.site import Station


def settle_station(
    connection: Connection,
    station: Station,
    *,
    place: str | None = None,
    kind: str | None = None,
    cadence_s: float | None = None,
) -> None:
    """Let a station stand at another place with all its past, be of another kind, or report at
    another cadence; None leaves each as it is. A place that is new is made, indoors.

    Raises
    ------
    UsageError
        When there is no such kind, or the cadence is none.
    """
    values: dict[str, object] = {}
    if kind is not None:
        known = kinds(connection)
        if kind not in known:
            raise UsageError(
                f"there is no kind {kind!r}",
                kept="the station stays as it was",
                remedy="choose one of: " + ", ".join(known),
            )
        values["kind"] = kind
    if cadence_s is not None:
        if not math.isfinite(cadence_s) or cadence_s <= 0:
            raise UsageError(
                f"no station reports every {cadence_s:g} s",
                kept="the station stays as it was",
                remedy="give a time above zero",
            )
        # What a person has said is not learned over.
        values |= {"cadence_s": cadence_s, "learns_cadence": False}
    if place is not None:
        values["place_id"] = add_place(connection, place.strip())
    if values:
        table = schema.station
        connection.execute(sa.update(table).where(table.c.id == station.id).values(**values))
        note_change(connection, Subject.SITE)
