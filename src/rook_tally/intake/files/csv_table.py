"""The file door: a CSV file read as a whole, its columns mapped, its units and decimals read."""

from __future__ import annotations

import csv
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from rook_tally.core.errors import UsageError
from rook_tally.core.progress import Progress, counted, unwatched
from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.series.readings import Readings, readings_from
from rook_tally.core.series.screening import screened
from rook_tally.intake.decode.csv_text import delimiter_of
from rook_tally.intake.decode.text_value import value_and_unit

MOST_BYTES = 512 * 1024 * 1024
_TIME_NAMES = ("time", "timestamp", "datetime", "date", "when", "moment")
_UNIT = re.compile(r"(.*\S)\s*[\[(]\s*([^\])]+?)\s*[\])]")


@dataclass(frozen=True, slots=True)
class Table:
    """A CSV file as text: its header, its rows, which column holds the time."""

    header: tuple[str, ...]
    rows: list[list[str]]
    time_column: int
    decimal_comma: bool

    def unit_in_header(self, name: str) -> tuple[str, str]:
        """A column's name without its unit, and the unit in brackets; empty without one."""
        both = _UNIT.fullmatch(name)
        return (both[1], both[2]) if both else (name, "")


@dataclass(frozen=True, slots=True)
class TableColumn:
    """The meaning of a column."""

    name: str
    quantity: Quantity
    unit: str


@dataclass(frozen=True, slots=True)
class Refused:
    """A cell or row that could not be read: its line in the file, counted from 1, and why."""

    line: int
    why: str


def read_table(
    path: Path, *, time_column: str | None = None, progress: Progress = unwatched
) -> Table:
    """A CSV file, its delimiter and decimal sign told by itself.

    Raises
    ------
    UsageError
        When it cannot be read, is no text, or has no column of times.
    """
    try:
        if path.stat().st_size > MOST_BYTES:
            raise UsageError(f"{path} is larger than 512 MiB", remedy="cut it into parts")
        text = path.read_text(encoding="utf-8-sig")
    except UnicodeDecodeError:
        text = path.read_text(encoding="latin-1")
    except OSError as error:
        raise UsageError(
            f"{path} cannot be read: {error.strerror}", remedy="name another file"
        ) from None
    lines = text.splitlines()
    if len(lines) < 2:
        raise UsageError(f"{path} holds no rows", remedy="it needs a header and rows under it")
    delimiter = delimiter_of(lines[0])
    try:
        header, *rows = csv.reader(counted(lines, progress), delimiter=delimiter, strict=True)
    except csv.Error as error:
        raise UsageError(f"{path} is no CSV: {error}", remedy="save it as CSV again") from None
    names = [name.strip() for name in header]
    wanted = (time_column,) if time_column else _TIME_NAMES
    found = [at for at, name in enumerate(names) if name.lower() in [w.lower() for w in wanted]]
    if not found:
        raise UsageError(
            f"{path} has no column {' or '.join(wanted)}",
            remedy="say which holds the time, with --time; columns: " + ", ".join(names),
        )
    return Table(tuple(names), rows, found[0], delimiter == ";")


def column_readings(
    table: Table,
    column: TableColumn,
    times: Sequence[int | str],
    *,
    max_gap_s: float,
    progress: Progress = unwatched,
) -> tuple[Readings, list[Refused]]:
    """The readings of one column in the base unit, in order of time, screened.

    Parameters
    ----------
    times
        The moment of each row, or why it has none.

    Of equal times the last row stands. What cannot be read, or stands no more, is told.
    """
    at = table.header.index(column.name)
    has_commas = table.decimal_comma and any("," in row[at] for row in table.rows if len(row) > at)
    kept: dict[int, tuple[int, float]] = {}
    refused: list[Refused] = []
    rows = counted(table.rows, progress)
    for line, (row, moment) in enumerate(zip(rows, times, strict=True), start=2):
        if len(row) <= max(at, table.time_column):
            if row:
                refused.append(Refused(line, f"{len(row)} cells where the header has more"))
            continue
        cell = row[at].strip()
        if not cell:
            continue
        if isinstance(moment, str):
            refused.append(Refused(line, moment))
            continue
        try:
            value = _base_value(cell, column, has_commas=has_commas)
        except ValueError as error:
            refused.append(Refused(line, str(error)))
            continue
        if moment in kept and kept[moment][1] != value:
            refused.append(Refused(kept[moment][0], f"line {line} has the same time and stands"))
        kept[moment] = line, value
    refused.sort(key=lambda one: one.line)
    moments = sorted(kept)
    raw = readings_from(moments, [kept[one][1] for one in moments])
    quality = screened(raw, column.quantity, max_gap_s=max_gap_s)
    return Readings(raw.time_us, raw.value, quality), refused


def _base_value(cell: str, column: TableColumn, *, has_commas: bool) -> float:
    if has_commas and "." in cell:
        raise ValueError(f"{cell!r} has a point where other cells of its column have a comma")
    told, unit_told = value_and_unit(cell.replace(",", ".") if has_commas else cell)
    if isinstance(told, str):
        told = told in ("on", "true", "open", "yes")
    name = unit_told or column.unit
    unit = column.quantity.unit(name) if name else column.quantity.base
    if unit is None:
        raise ValueError(f"{name} is no unit of {column.quantity.slug}")
    return float(unit.to_base(float(told)))


def columns_from(table: Table, mapping: Mapping[str, tuple[Quantity, str]]) -> list[TableColumn]:
    """Columns by their name, with or without the unit in it.

    Raises
    ------
    UsageError
        When the file has no such column.
    """
    by_name = {table.unit_in_header(name)[0]: name for name in table.header} | {
        name: name for name in table.header
    }
    columns = []
    for asked, (quantity, unit) in mapping.items():
        if asked not in by_name:
            raise UsageError(
                f"there is no column {asked!r}", remedy="columns: " + ", ".join(table.header)
            )
        name = by_name[asked]
        columns.append(TableColumn(name, quantity, unit or table.unit_in_header(name)[1]))
    return columns
