"""Importing a file: its columns into a station's series, in one step that can be undone."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.field_guess import guessed_field
from rook_tally.core.gaps import max_gap_s
from rook_tally.core.quantities import Quantity
from rook_tally.core.readings import Readings
from rook_tally.core.registry import quantity_named
from rook_tally.intake.file_door import (
    Column,
    Refused,
    Table,
    column_readings,
    columns_from,
    read_table,
)
from rook_tally.store import Series, Station, Store, add_series, load_site, zone_named
from rook_tally.store.imports import bring_in, new_readings


@dataclass(frozen=True, slots=True)
class ImportedColumn:
    """A column, what it became, and how many of its readings were not there before."""

    column: Column
    readings: Readings
    new: int


@dataclass(frozen=True, slots=True)
class ImportOutcome:
    """What came of a file. `number` takes it back; 0 after a dry run."""

    number: int
    readings: int
    columns: tuple[ImportedColumn, ...]
    refused: tuple[Refused, ...]


def imported_file(
    store: Store, file: Path, key: str, *, columns: Mapping[str, tuple[str, str]],
    time_column: str | None, zone: str | None, now_us: int, dry_run: bool = False,
) -> ImportOutcome:  # fmt: skip
    """Read a CSV file into a station's series, or with `dry_run` say what that would do.

    `columns` are quantity and unit by column; empty means that their names say it.

    Raises
    ------
    UsageError
        When the file, station, a column, quantity, unit or zone cannot be meant; nothing was
        written then.
    """
    table = read_table(file, time_column=time_column)
    with store.write() as connection:
        site = load_site(connection)
        station = site.station(key)
        if station is None:
            raise UsageError(
                f"there is no station {key!r}",
                remedy=f'add it first: rook-tally station add {key} --place "…"',
            )
        meant = {name: quantity_and_unit(*told) for name, told in columns.items()}
        brought: dict[Series, Readings] = {}
        told: list[ImportedColumn] = []
        refused: list[Refused] = []
        for column in columns_from(table, meant or guessed_columns(table)):
            readings, wrong = column_readings(
                table, column, zone=zone_named(zone or site.zone),
                max_gap_s=max_gap_s(station.cadence_s),
            )  # fmt: skip
            series = _series_of(connection, station, table, column)
            brought[series] = readings
            refused.extend(wrong)
            new = new_readings(connection, series, readings)
            told.append(ImportedColumn(column, readings, len(new)))
        if dry_run:
            connection.rollback()
            return ImportOutcome(0, 0, tuple(told), tuple(refused))
        done = bring_in(connection, file.name, brought, now_us=now_us)
    return ImportOutcome(done.id, done.readings, tuple(told), tuple(refused))


def quantity_and_unit(slug: str, unit: str) -> tuple[Quantity, str]:
    """A quantity and one of its units; UsageError when there is none such."""
    quantity = quantity_named(slug)
    if unit and quantity.unit(unit) is None:
        usual = ", ".join(one.symbol for one in quantity.units)
        raise UsageError(f"{unit!r} is no unit of {slug}", remedy=f"known: {usual}")
    return quantity, unit


def guessed_columns(table: Table) -> dict[str, tuple[Quantity, str]]:
    """Every column whose name says what it is; UsageError when none does."""
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
