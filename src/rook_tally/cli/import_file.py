"""`rook-tally import`."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import tzinfo
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
import typer

from rook_tally import clock
from rook_tally.cli.progress_line import progress_line
from rook_tally.cli.strays import mapped_field
from rook_tally.core.errors import UsageError
from rook_tally.core.progress import Progress
from rook_tally.core.quantities.field_guess import guessed_field
from rook_tally.core.quantities.number_format import figure
from rook_tally.core.timestamps import datetime_from_time_us, rfc3339
from rook_tally.desk.data.file_importer import ColumnLook, ColumnRole, FileToImport, ImportAnswer
from rook_tally.intake.files.csv_table import NumberStyle, Refused, read_head
from rook_tally.intake.files.file_import import ImportedColumn, ImportOutcome, imported_file
from rook_tally.intake.files.file_times import DateOrder
from rook_tally.intake.files.refused_rows import write_refused
from rook_tally.store.base import Store
from rook_tally.store.exchange.imports import imports, take_back
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import load_site

_SHOWN_REFUSALS = 5
_STATION = "station"


def import_file(
    where: str,
    file: Path,
    key: str | None,
    *,
    maps: list[str],
    time_column: str | None,
    zone: str | None,
    dry_run: bool,
    dates: DateOrder | None,
    skip: int | None = None,
    numbers: NumberStyle | None = None,
    station_column: str | None = None,
) -> None:
    """Read a CSV file into a station's series, or say what that would do."""
    with existing_store(where) as store, progress_line("reading") as progress:
        done = imported_file(
            store,
            file,
            key,
            columns=dict(map(mapped_field, maps)),
            time_column=time_column,
            zone=zone,
            now_us=clock.now_us(),
            dry_run=dry_run,
            dates=dates,
            skip=skip,
            numbers=numbers,
            station_column=station_column,
            progress=progress,
        )
    for line in _brought(done):
        typer.echo(line)
    for line in (*done.remarks, *_refused(file, done.refused)):
        typer.echo(line, err=True)
    typer.echo(_outcome(done, dry_run=dry_run))


def date_order(name: str | None) -> DateOrder | None:
    """The order of day and month that a person names; None when nobody does.

    Raises
    ------
    UsageError
        When it is none.
    """
    try:
        return None if name is None else DateOrder(name)
    except ValueError:
        raise UsageError(
            f"dates cannot be read {name!r}", remedy="--dates day-first or --dates month-first"
        ) from None


def number_style(name: str | None) -> NumberStyle | None:
    """The style in which a person says that numbers are written; None when nobody does.

    Raises
    ------
    UsageError
        When it is no such style.
    """
    try:
        return None if name is None else NumberStyle(name)
    except ValueError:
        known = " or ".join(one.value for one in NumberStyle)
        raise UsageError(f"numbers cannot be read {name!r}", remedy=f"--numbers {known}") from None


def import_for_desk(
    store: Store, asked: FileToImport, *, dry_run: bool, progress: Progress
) -> ImportAnswer:
    """The same asked for from the window."""
    done = imported_file(
        store,
        asked.file,
        asked.station or None,
        columns={name: (quantity, unit) for name, quantity, unit in asked.mapping}
        or dict(map(mapped_field, asked.columns.split())),
        time_column=asked.time_column or None,
        zone=asked.zone or None,
        now_us=clock.now_us(),
        dry_run=dry_run,
        dates=DateOrder(asked.dates) if asked.dates else None,
        numbers=NumberStyle(asked.numbers) if asked.numbers else None,
        skip=asked.skip,
        station_column=asked.station_column or None,
        progress=progress,
    )
    came = f"{done.readings} readings imported"
    if dry_run or not done.number:
        came = "nothing was written (a preview)" if dry_run else "nothing in it is new"
    lines = [*_brought(done), *done.remarks, *_refused(asked.file, done.refused), came]
    return ImportAnswer("\n".join(lines), done.number)


def look_at_file(file: Path, skip: int | None = None) -> tuple[ColumnLook, ...]:
    """The columns of a file, and what each seems to be."""
    table = read_head(file, skip=skip)
    found = []
    for at, header in enumerate(table.header):
        cells = [row[at].strip() for row in table.rows if len(row) > at and row[at].strip()]
        role = ColumnRole.TIME if at == table.time_column else ColumnRole.READINGS
        if header.lower() == _STATION:
            role = ColumnRole.STATION
        if role is not ColumnRole.READINGS:
            found.append(ColumnLook(header, tuple(cells[:3]), "", "", role))
            continue
        name, unit = table.unit_in_header(header)
        guess = guessed_field(name, _numbers(cells))
        quantity = guess.quantity
        known = None if quantity is None else quantity.unit(unit) if unit else None
        symbol = known.symbol if known is not None else guess.unit
        slug = "" if quantity is None else quantity.slug
        found.append(ColumnLook(header, tuple(cells[:3]), slug, symbol))
    return tuple(found)


def _numbers(cells: Sequence[str]) -> list[float]:
    told = []
    for cell in cells[:200]:
        try:
            told.append(float(cell.replace(",", ".")))
        except ValueError:
            continue
    return told


def _brought(done: ImportOutcome) -> list[str]:
    zone = ZoneInfo(done.zone)
    return [_told(one, zone) for one in done.columns]


def _outcome(done: ImportOutcome, *, dry_run: bool) -> str:
    if dry_run:
        return "nothing was written (a dry run)"
    if not done.number:
        return "nothing in it is new; nothing was written"
    return f"{done.readings} readings; take them back with rook-tally import --undo {done.number}"


def _told(one: ImportedColumn, zone: tzinfo) -> str:
    column, readings, quantity = one.column, one.readings, one.column.quantity
    if not len(readings):
        return f"{column.name}: {quantity.name}, no readings"
    suspect = int(np.count_nonzero(~readings.good))
    good = readings.value[readings.good]
    known = good if len(good) else readings.value
    low, high = (figure(float(one), quantity.decimals) for one in (known.min(), known.max()))
    beside = ""
    if suspect:
        worst = readings.value[~readings.good]
        ends = [figure(float(one), quantity.decimals) for one in (worst.min(), worst.max())]
        beside = f"; {suspect} suspect, {' to '.join(dict.fromkeys(ends))}"
    first, last = (
        datetime_from_time_us(int(one)).astimezone(zone).isoformat()[:16]
        for one in (readings.time_us[0], readings.time_us[-1])
    )
    return (
        f"{column.name}: {quantity.name}, {len(readings)} readings from {first} to {last}, "
        f"{low} to {high} {quantity.base.symbol}".rstrip()
        + f"{beside}; {one.new} of them new"
    )


def _refused(file: Path, refused: Sequence[Refused]) -> list[str]:
    lines = [f"line {one.line}: {one.why}" for one in refused[:_SHOWN_REFUSALS]]
    if len(refused) > _SHOWN_REFUSALS:
        lines.append(f"and {len(refused) - _SHOWN_REFUSALS} more")
    beside = write_refused(file, refused)
    if beside is not None:
        lines.append(f"all {len(refused)} are listed in {beside}")
    return lines


def list_imports(where: str) -> None:
    """Print the imports that can be taken back."""
    with existing_store(where) as store, store.read() as connection:
        for one in imports(connection):
            when = rfc3339(one.made_us)[:16]
            typer.echo(f"{one.id:>4}  {when}  {one.readings:>9} readings  {one.name}")


def undo_import(where: str, number: int) -> None:
    """Take back what an import brought."""
    store: Store = existing_store(where)
    try:
        with store.write() as connection:
            series = {one.id: one for one in load_site(connection).series}
            gone = take_back(connection, number, series)
    finally:
        store.close()
    typer.echo(f"{gone} readings were taken back")
