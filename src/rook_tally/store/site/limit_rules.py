"""Limits that people set, as the store has them."""

from __future__ import annotations

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.limit_rules import LimitScope
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change

# Made once: msgspec falls over when two threads are the first to decode a type.
_LIMITS_DECODER = msgspec.json.Decoder(Limits)


def limit_rules(connection: Connection) -> dict[tuple[str, int | None], Limits]:
    """What is set for places and for the whole site, by (quantity's slug, place's id; None for the
    site)."""
    return {
        (row.quantity, row.place_id): _LIMITS_DECODER.decode(row.limits)
        for row in connection.execute(sa.select(schema.limit_rule))
    }


def set_limits_of(
    connection: Connection, scope: LimitScope, limits: Limits | None
) -> Limits | None:
    """Set limits, or with None take back what was set; returns what was set before.

    Raises
    ------
    UsageError
        When there is no such quantity, place or series, or the series is a working's.
    """
    if scope.quantity not in QUANTITIES and scope.series_id is None:
        raise UsageError(
            f"there is no quantity {scope.quantity!r}", remedy="`rook-tally latest` names them"
        )
    # In whatever zone the site is: the hours are those of its clocks.
    written = None if limits is None else msgspec.json.encode(limits.in_zone("")).decode()
    before = (
        _set_of_series(connection, scope, written)
        if scope.series_id is not None
        else (_set_rule(connection, scope, written))
    )
    note_change(connection, Subject.SITE)
    return None if before is None else _LIMITS_DECODER.decode(before)


def limits_set_for(connection: Connection, scope: LimitScope) -> Limits | None:
    """What is set for just this; None when nothing is."""
    if scope.series_id is not None:
        wanted = sa.select(schema.series.c.limits).where(schema.series.c.id == scope.series_id)
    else:
        wanted = sa.select(schema.limit_rule.c.limits).where(
            *_is_rule(scope.quantity, _place_id(connection, scope.place))
        )
    found = connection.execute(wanted).scalar()
    return None if found is None else _LIMITS_DECODER.decode(found)


def _set_of_series(connection: Connection, scope: LimitScope, written: str | None) -> str | None:
    table = schema.series
    row = connection.execute(sa.select(table).where(table.c.id == scope.series_id)).first()
    if row is None:
        raise UsageError("there is no such series any more", remedy="look at the site anew")
    if connection.execute(
        sa.select(schema.worked.c.series_id).where(schema.worked.c.series_id == scope.series_id)
    ).first():
        raise UsageError(
            f"{row.quantity} is worked out",
            kept="nothing was changed",
            remedy="its limits belong to its working",
        )
    connection.execute(sa.update(table).where(table.c.id == scope.series_id).values(limits=written))
    return row.limits if row.limits is None else str(row.limits)


def _set_rule(connection: Connection, scope: LimitScope, written: str | None) -> str | None:
    table = schema.limit_rule
    place_id = _place_id(connection, scope.place)
    is_it = _is_rule(scope.quantity, place_id)
    before = connection.execute(sa.select(table.c.limits).where(*is_it)).scalar()
    connection.execute(sa.delete(table).where(*is_it))
    if written is not None:
        connection.execute(
            sa.insert(table).values(quantity=scope.quantity, place_id=place_id, limits=written)
        )
    return None if before is None else str(before)


def _is_rule(quantity: str, place_id: int | None) -> tuple[sa.ColumnElement[bool], ...]:
    table = schema.limit_rule
    there = table.c.place_id.is_(None) if place_id is None else table.c.place_id == place_id
    return table.c.quantity == quantity, there


def _place_id(connection: Connection, name: str) -> int | None:
    if not name:
        return None
    table = schema.place
    found = connection.execute(sa.select(table.c.id).where(table.c.name == name)).scalar()
    if found is None:
        known = connection.execute(sa.select(table.c.name).order_by(table.c.position)).scalars()
        raise UsageError(f"there is no place {name!r}", remedy="choose one of: " + ", ".join(known))
    return int(found)
