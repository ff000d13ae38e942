"""The units a site is shown in: for each quantity its base unit, or another somebody picked."""

from __future__ import annotations

from collections.abc import Mapping

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.unit import Unit
from rook_tally.core.quantities.unit_systems import UnitSystem, unit_in
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change


def units_picked(connection: Connection) -> dict[str, str]:
    """By quantity slug the symbol of the unit picked, where it is not the base unit."""
    return {row.quantity: row.unit for row in connection.execute(sa.select(schema.shown_unit))}


def shown_units(connection: Connection) -> dict[str, Unit]:
    """By slug of a quantity of the registry the unit picked, where it is not the base unit."""
    found = {}
    for slug, symbol in units_picked(connection).items():
        quantity = QUANTITIES.get(slug)
        unit = (
            None
            if quantity is None
            else next((one for one in quantity.units if one.symbol == symbol), None)
        )
        if unit is not None:
            found[slug] = unit
    return found


def unit_of_result(
    quantity: Quantity, usual: Unit | None, picked: Mapping[str, str]
) -> Unit | None:
    """The unit a working's result is shown in; None for the one it is kept in.

    As picked for itself, else its own, else as picked for what it is a sort of: a dew point follows
    the temperatures.
    """
    alike = next(
        (one.slug for one in QUANTITIES.values() if one.base.dimension is quantity.base.dimension),
        "",
    )
    symbol = picked.get(quantity.slug) or (picked.get(alike) if usual is None else None)
    return next((one for one in quantity.units if one.symbol == symbol), usual)


def show_in_unit(connection: Connection, quantity: Quantity, unit: Unit) -> None:
    """Show a quantity in this unit from now on, everywhere."""
    if unit not in quantity.units:
        known = ", ".join(one.symbol for one in quantity.units)
        raise UsageError(
            f"{quantity.name} is not shown in {unit.symbol}", remedy=f"choose one of: {known}"
        )
    table = schema.shown_unit
    connection.execute(sa.delete(table).where(table.c.quantity == quantity.slug))
    # A working's result may have another usual unit than the one it is kept in.
    if unit != quantity.base or quantity.slug not in QUANTITIES:
        connection.execute(sa.insert(table).values(quantity=quantity.slug, unit=unit.symbol))
    note_change(connection, Subject.SITE)


def write_units(connection: Connection, wanted: Mapping[str, str]) -> None:
    """Show quantities in these units, by slug and symbol, and all others in their base units.

    Raises
    ------
    UsageError
        When a quantity is not shown in such a unit.
    """
    if units_picked(connection) == dict(wanted):
        return
    for slug, symbol in wanted.items():
        quantity = QUANTITIES.get(slug)
        # What is worked out has a quantity of its own, which need not be there yet.
        if quantity is not None and symbol not in [one.symbol for one in quantity.units]:
            known = ", ".join(one.symbol for one in quantity.units)
            raise UsageError(
                f"{quantity.name} is not shown in {symbol}", remedy=f"choose one of: {known}"
            )
    table = schema.shown_unit
    connection.execute(sa.delete(table))
    if wanted:
        rows = [{"quantity": slug, "unit": symbol} for slug, symbol in wanted.items()]
        connection.execute(sa.insert(table), rows)
    note_change(connection, Subject.SITE)


def show_in_system(connection: Connection, system: UnitSystem) -> None:
    """Show every quantity in the units of a system from now on; what is worked out follows."""
    table = schema.shown_unit
    connection.execute(sa.delete(table).where(table.c.quantity.in_(list(QUANTITIES))))
    picked = {slug: unit_in(system, one) for slug, one in QUANTITIES.items()}
    rows = [
        {"quantity": slug, "unit": unit.symbol}
        for slug, unit in picked.items()
        if unit != QUANTITIES[slug].base
    ]
    if rows:
        connection.execute(sa.insert(table), rows)
    note_change(connection, Subject.SITE)
