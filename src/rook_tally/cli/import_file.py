"""`rook-tally import`."""

from __future__ import annotations

import time
from collections.abc import Iterable
from pathlib import Path
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

import typer
from sqlalchemy.engine import Connection

from rook_tally.cli.strays import mapped_field
from rook_tally.core.errors import UsageError
from rook_tally.core.field_guess import guessed_field
from rook_tally.core.gaps import max_gap_s
from rook_tally.core.numerals import figure
from rook_tally.core.quantities import Quantity
from rook_tally.core.readings import Readings
from rook_tally.core.registry import quantity_named
from rook_tally.core.timestamps import rfc3339
from rook_tally.intake.file_door import (
    Column,
    Refused,
    Table,
    column_readings,
    columns_from,
    read_table,
)
from rook_tally.store import Series, Station, Store, add_series, load_site, open_store
from rook_tally.store.imports import bring_in, imports, new_readings, take_back

_SHOWN_REFUSALS = 5


def import_file(
    where: str, file: Path, key: str, *, maps: list[str], time_column: str | None, zone: str | None,
    dry_run: bool,
) -> None:  # fmt: skip
    """Read a CSV file into a station's series, or say what that would do."""
    table = read_table(file, time_column=time_column)
    store = open_store(where, create=False)
    try:
        with store.write() as connection:
            site = load_site(connection)
            station = site.station(key)
            if station is None:
                raise UsageError(
                    f"there is no station {key!r}",
                    remedy=f'add it first: rook-tally station add {key} --place "…"',
                )
            columns = columns_from(table, dict(map(_meant, maps)) or _guessed(table))
            brought: dict[Series, Readings] = {}
            refused: list[Refused] = []
            for column in columns:
                readings, wrong = column_readings(
                    table, column, zone=_zone_named(zone or site.zone),
                    max_gap_s=max_gap_s(station.cadence_s),
                )  # fmt: skip
                series = _series_of(connection, station, table, column)
                brought[series] = readings
                refused.extend(wrong)
                new = new_readings(connection, series, readings)
                typer.echo(_told(column, readings, len(new)))
            _print_refused(refused)
            if dry_run:
                connection.rollback()
                typer.echo("nothing was written (a dry run)")
                return
            done = bring_in(connection, file.name, brought, now_us=time.time_ns() // 1000)
    finally:
        store.close()
    typer.echo(f"{done.readings} readings; take them back with rook-tally import --undo {done.id}")


def _meant(text: str) -> tuple[str, tuple[Quantity, str]]:
    field, (slug, unit) = mapped_field(text)
    quantity = quantity_named(slug)
    if unit and quantity.unit(unit) is None:
        usual = ", ".join(one.symbol for one in quantity.units)
        raise UsageError(f"{unit!r} is no unit of {slug}", remedy=f"known: {usual}")
    return field, (quantity, unit)


def _guessed(table: Table) -> dict[str, tuple[Quantity, str]]:
    """Every column whose name says what it is."""
    found: dict[str, tuple[Quantity, str]] = {}
    for at, header in enumerate(table.header):
        name, unit = table.unit_in_header(header)
        guess = guessed_field(name, _numbers(row[at] for row in table.rows[:200] if len(row) > at))
        if at != table.time_column and guess.quantity is not None:
            known = guess.quantity.unit(unit) if unit else None
            found[header] = (guess.quantity, known.symbol if known else guess.unit)
    if not found:
        raise UsageError(
            "no column's name says what it measures",
            remedy="say it with --map COLUMN=QUANTITY[:UNIT]; columns: " + ", ".join(table.header),
        )
    return found


def _numbers(cells: Iterable[str]) -> list[float]:
    numbers = []
    for cell in cells:
        try:
            numbers.append(float(cell.strip().replace(",", ".")))
        except ValueError:
            continue
    return numbers


def _zone_named(name: str) -> ZoneInfo:
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError):
        raise UsageError(
            f"there is no time zone {name!r}", remedy="such as Europe/London"
        ) from None


def _series_of(connection: Connection, station: Station, table: Table, column: Column) -> Series:
    field, _ = table.unit_in_header(column.name)
    known = [
        one
        for one in load_site(connection).series
        if one.station.id == station.id and one.quantity.slug == column.quantity.slug
    ]
    exact = [one for one in known if one.field == field]
    if exact or len(known) == 1:
        return (exact or known)[0]
    return add_series(
        connection, station, field=field, quantity=column.quantity,
        unit=column.unit or column.quantity.base.symbol,
    )  # fmt: skip


def _told(column: Column, readings: Readings, new: int) -> str:
    quantity = column.quantity
    if not len(readings):
        return f"{column.name}: {quantity.name}, no readings"
    low, high = (figure(one, quantity.decimals) for one in
                 (readings.value.min(), readings.value.max()))  # fmt: skip
    first, last = (rfc3339(int(one))[:16] for one in (readings.time_us[0], readings.time_us[-1]))
    return (
        f"{column.name}: {quantity.name}, {len(readings)} readings from {first} to {last}, "
        f"{low} to {high} {quantity.base.symbol}; {new} of them new"
    )


def _print_refused(refused: list[Refused]) -> None:
    for one in refused[:_SHOWN_REFUSALS]:
        typer.echo(f"line {one.line}: {one.why}", err=True)
    if len(refused) > _SHOWN_REFUSALS:
        typer.echo(f"and {len(refused) - _SHOWN_REFUSALS} more", err=True)


def list_imports(where: str) -> None:
    """Print the imports that can be taken back."""
    store = open_store(where, create=False)
    try:
        with store.read() as connection:
            for one in imports(connection):
                when = rfc3339(one.made_us)[:16]
                typer.echo(f"{one.id:>4}  {when}  {one.readings:>9} readings  {one.name}")
    finally:
        store.close()


def undo_import(where: str, number: int) -> None:
    """Take back what an import brought."""
    store: Store = open_store(where, create=False)
    try:
        with store.write() as connection:
            series = {one.id: one for one in load_site(connection).series}
            gone = take_back(connection, number, series)
    finally:
        store.close()
    typer.echo(f"{gone} readings were taken back")
