"""Importing a file: its columns into a station's series, in one step that can be undone."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.progress import Progress, part_of, unwatched
from rook_tally.core.quantities.field_guess import named_field
from rook_tally.core.quantities.kinds import Kind
from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.quantities.registry import quantity_named
from rook_tally.core.series.gaps import max_gap_s
from rook_tally.core.series.readings import Readings
from rook_tally.intake.files.csv_table import (
    NumberStyle,
    Refused,
    Table,
    TableColumn,
    column_readings,
    columns_from,
    read_table,
)
from rook_tally.intake.files.file_times import DateOrder, file_times
from rook_tally.intake.files.own_export import is_own_export, own_readings
from rook_tally.store.base import Store
from rook_tally.store.exchange.imports import ImportTarget, NewSeries, bring_in, new_readings
from rook_tally.store.site import Series, Site, Station, load_site, zone_named

# Of the time an import takes, roughly: lines cut into cells, and cells read, before it is written.
_READ_SHARE, _WRITE_SHARE = 0.1, 0.6


@dataclass(frozen=True, slots=True)
class ImportedColumn:
    """A column, what it became, and how many of its readings were not there before."""

    column: TableColumn
    readings: Readings
    new: int


@dataclass(frozen=True, slots=True)
class ImportOutcome:
    """The result of an import. `number` takes it back; 0 after a dry run.

    `remarks` say how its dates were read, or that nobody can tell; `zone` is the site's.
    """

    number: int
    readings: int
    columns: tuple[ImportedColumn, ...]
    refused: tuple[Refused, ...]
    remarks: tuple[str, ...] = ()
    zone: str = "UTC"


def imported_file(
    store: Store,
    file: Path,
    key: str | None,
    *,
    columns: Mapping[str, tuple[str, str]],
    time_column: str | None,
    zone: str | None,
    now_us: int,
    dry_run: bool = False,
    dates: DateOrder | None = None,
    skip: int | None = None,
    numbers: NumberStyle | None = None,
    station_column: str | None = None,
    progress: Progress = unwatched,
) -> ImportOutcome:
    """Read a CSV file into a station's series, or with `dry_run` say what that would do.

    `columns` are quantity and unit by column; empty means that their names say it. An export of our
    own says itself whose readings it holds; with `key` those of one station are read.

    Raises
    ------
    UsageError
        When the file, station, a column, quantity, unit or zone cannot be meant, or its dates can
        be read in two ways; nothing was written then.
    CancelledError
        When it is cancelled; what was written has been taken back.
    """
    table = read_table(
        file,
        time_column=time_column,
        skip=skip,
        numbers=numbers,
        progress=part_of(progress, 0.0, _READ_SHARE),
    )
    reading = part_of(progress, _READ_SHARE, 1.0 if dry_run else _WRITE_SHARE)
    remarks: list[str] = []
    # All that takes long is done before anything is written: stations go on being heard.
    with store.read() as connection:
        site = load_site(connection)
    is_screened = is_own_export(table)
    if is_screened:
        brought, refused = own_readings(site, table, key, now_us=now_us, progress=reading)
        sources = [
            (TableColumn(_source(one), one.quantity, one.unit), one, readings)
            for one, readings in brought.items()
        ]
    else:
        sources, refused = [], []
        parts = _parts_of(site, table, key, station_column)
        for at, (station, part) in enumerate(parts):
            read, wrong = _columns_read(
                site,
                part,
                station,
                columns,
                zone,
                dates,
                remarks,
                now_us=now_us,
                dry_run=dry_run,
                progress=part_of(reading, at / len(parts), (at + 1) / len(parts)),
            )
            sources += read
            refused += wrong
        refused.sort(key=lambda one: one.line)
        remarks = list(dict.fromkeys(remarks))
    with store.read() as connection:
        told = tuple(
            ImportedColumn(column, readings, _count_of_new(connection, target, readings))
            for column, target, readings in sources
        )
    number = kept = 0
    if not dry_run and any(one.new for one in told):
        # Read again it brings nothing, and is no import.
        done = bring_in(
            store,
            file.name,
            [(target, readings) for _, target, readings in sources],
            now_us=now_us,
            is_screened=is_screened,
            progress=part_of(progress, _WRITE_SHARE, 1.0),
        )
        number, kept = done.id, done.readings
    progress(1.0)
    return ImportOutcome(number, kept, told, tuple(refused), tuple(remarks), site.zone)


def _count_of_new(connection: Connection, target: ImportTarget, readings: Readings) -> int:
    if isinstance(target, NewSeries):
        return len(readings)
    return len(new_readings(connection, target, readings))


def _source(series: ImportTarget) -> str:
    return f"{series.station.key} {series.field}"


def _parts_of(
    site: Site, table: Table, key: str | None, station_column: str | None
) -> list[tuple[str | None, Table]]:
    """The rows of each station: of one that is named all, else by the column that names them.

    Raises
    ------
    UsageError
        When a station of the file is not there.
    """
    if key is not None and station_column is None:
        return [(key, table)]
    if station_column is None and "station" not in map(str.lower, table.header):
        return [(key, table)]
    parts = table.by_column(station_column or "station")
    nobodys = parts.pop("", None)
    if key is not None:
        parts = {name: part for name, part in parts.items() if name == key}
    missing = sorted(name for name in parts if site.station(name) is None)
    if missing or not parts:
        raise UsageError(
            f"there is no station {', '.join(missing[:5])}" if missing else "it names no station",
            kept="nothing was written",
            remedy=f'add it first: rook-tally station add {missing[0]} --place "…"'
            if missing
            else "say whose readings they are with --station",
        )
    if nobodys is not None:
        rows = ", ".join(map(str, nobodys.row_lines[:3]))
        raise UsageError(
            f"line {rows} names no station",
            kept="nothing was written",
            remedy="name it there, or leave the line out",
        )
    return list(parts.items())


def _columns_read(
    site: Site,
    table: Table,
    key: str | None,
    mapping: Mapping[str, tuple[str, str]],
    zone: str | None,
    dates: DateOrder | None,
    remarks: list[str],
    *,
    now_us: int,
    dry_run: bool,
    progress: Progress,
) -> tuple[list[tuple[TableColumn, ImportTarget, Readings]], list[Refused]]:
    station = site.station(key) if key else None
    if station is None:
        raise UsageError(
            f"there is no station {key!r}" if key else "whose readings are these?",
            remedy=f'add it first: rook-tally station add {key} --place "…"'
            if key
            else "say it with --station KEY",
        )
    meant = {name: quantity_and_unit(*told) for name, told in mapping.items()}
    wanted = columns_from(table, meant or named_columns(table))
    known = [_known_series(site.series, station, table, one) for one in wanted]
    wanted = [
        _with_unit(one, at, station.kind, table) for one, at in zip(wanted, known, strict=True)
    ]
    cells = [row[table.time_column] if len(row) > table.time_column else "" for row in table.rows]
    times = file_times(
        cells,
        zone_named(zone or site.zone),
        order=dates,
        now_us=now_us,
        progress=part_of(progress, 0.0, 0.5),
    )
    if times.is_open:
        if not dry_run:
            raise times.ask()
        remarks.append(str(times.ask()))
    elif times.order is not None and dates is None:
        remarks.append(f"dates were read {times.order.value}, as some of them show")
    refused: list[Refused] = []
    read: list[tuple[TableColumn, ImportTarget, Readings]] = []
    columns_progress = part_of(progress, 0.5, 1.0)
    for at, (column, series) in enumerate(zip(wanted, known, strict=True)):
        readings, wrong = column_readings(
            table,
            column,
            times.time_us,
            max_gap_s=max_gap_s(station.cadence_s),
            progress=part_of(columns_progress, at / len(wanted), (at + 1) / len(wanted)),
        )
        refused.extend(wrong)
        field = table.unit_in_header(column.name)[0]
        target = series or NewSeries(station, field, column.quantity, column.unit)
        read.append((column, target, readings))
    return read, list(dict.fromkeys(refused))


def _with_unit(column: TableColumn, series: Series | None, kind: Kind, table: Table) -> TableColumn:
    """A column with its unit: as it says itself, else that of the series it continues or of the
    field that its station's kind has for it.

    Raises
    ------
    UsageError
        When neither says it, and there is more than one.
    """
    if column.unit:
        return column
    if series is not None:
        return replace(column, unit=series.unit)
    told = [one.unit for one in kind.fields if one.quantity == column.quantity.slug]
    if len(set(told)) == 1:
        return replace(column, unit=told[0])
    if len(column.quantity.units) == 1:
        return replace(column, unit=column.quantity.base.symbol)
    units = " or ".join(f":{one.symbol}" for one in column.quantity.units[:3])
    name = table.unit_in_header(column.name)[0]
    raise UsageError(
        f"column {name!r} says no unit, and {name} was never heard of this station",
        kept="nothing was written",
        remedy=f"say it with --map {name}={column.quantity.slug}{units}",
    )


def quantity_and_unit(slug: str, unit: str) -> tuple[Quantity, str]:
    """A quantity and one of its units; UsageError when there is none such."""
    quantity = quantity_named(slug)
    if unit and quantity.unit(unit) is None:
        usual = ", ".join(one.symbol for one in quantity.units)
        raise UsageError(f"{unit!r} is no unit of {slug}", remedy=f"known: {usual}")
    return quantity, unit


def named_columns(table: Table) -> dict[str, tuple[Quantity, str]]:
    """Every column whose name says what it is, with the unit it says, if any; UsageError when none
    does."""
    found: dict[str, tuple[Quantity, str]] = {}
    for at, header in enumerate(table.header):
        name, unit = table.unit_in_header(header)
        quantity, ending = named_field(name)
        if at != table.time_column and quantity is not None:
            known = quantity.unit(unit or ending) if unit or ending else None
            found[header] = (quantity, known.symbol if known else "")
    if not found:
        raise UsageError(
            "no column's name says what it measures",
            remedy="say it with --map COLUMN=QUANTITY[:UNIT]; columns: " + ", ".join(table.header),
        )
    return found


def _known_series(
    several: Sequence[Series], station: Station, table: Table, column: TableColumn
) -> Series | None:
    """The series of a station that a column continues; None when it begins one."""
    field, _ = table.unit_in_header(column.name)
    known = [
        one
        for one in several
        if one.station.id == station.id and one.quantity.slug == column.quantity.slug
    ]
    exact = [one for one in known if one.field == field]
    return (exact or known)[0] if exact or len(known) == 1 else None
