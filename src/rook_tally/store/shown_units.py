"""The units a site is shown in: for each quantity its base unit, or another somebody picked."""

from __future__ import annotations

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities import Quantity
from rook_tally.core.registry import QUANTITIES
from rook_tally.core.units import Unit
from rook_tally.store import schema
from rook_tally.store.changes import Subject, note_change


def shown_units(connection: Connection) -> dict[str, Unit]:
    """By quantity slug the unit picked; quantities in their base unit are left out."""
    found = {}
    for slug, symbol in connection.execute(sa.select(schema.shown_unit)):
        quantity = QUANTITIES.get(slug)
        unit = None if quantity is None else next(
            (one for one in quantity.units if one.symbol == symbol), None
        )  # fmt: skip
        if unit is not None:
            found[slug] = unit
    return found


def show_in_unit(connection: Connection, quantity: Quantity, unit: Unit) -> None:
    """Show a quantity in this unit from now on, everywhere."""
    if unit not in quantity.units:
        known = ", ".join(one.symbol for one in quantity.units)
        raise UsageError(
            f"{quantity.name} is not shown in {unit.symbol}", remedy=f"choose one of: {known}"
        )
    table = schema.shown_unit
    connection.execute(sa.delete(table).where(table.c.quantity == quantity.slug))
    if unit != quantity.base:
        connection.execute(sa.insert(table).values(quantity=quantity.slug, unit=unit.symbol))
    note_change(connection, Subject.SITE)
