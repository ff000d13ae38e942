"""The file door: a CSV file read as a whole, its columns mapped, its units and decimals read."""

from __future__ import annotations

import csv
import enum
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import msgspec
from msgspec.structs import replace

from rook_tally.core.errors import UsageError
from rook_tally.core.progress import Progress, counted, unwatched
from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.series.readings import Readings, readings_from
from rook_tally.core.series.screening import screened
from rook_tally.intake.decode.csv_text import delimiter_of
from rook_tally.intake.decode.text_value import value_and_unit

MOST_BYTES = 512 * 1024 * 1024
_TIME_NAMES = ("time", "timestamp", "datetime", "date", "when", "moment")
_MOST_ABOVE = 60
_HEAD_BYTES = 65_536
# Thousands are parted by it in any style: an ordinary, a fixed and a narrow blank, an apostrophe.
_BLANKS = re.compile(r"(?<=\d)[ \u00a0\u2009\u202f'’](?=\d{3}(?!\d))")
_UNIT = re.compile(r"(.*\S)\s*[\[(]\s*([^\])]+?)\s*[\])]")


class NumberStyle(enum.Enum):
    """How numbers are written: what stands before their decimals; the other one parts thousands."""

    POINT = "1,234.5"
    COMMA = "1.234,5"

    def plain(self, cell: str) -> str:
        """A cell with its number written plainly, 1234.5.

        Raises
        ------
        ValueError
            When thousands are parted where none are.
        """
        mark = "," if self is NumberStyle.POINT else "."
        told = _BLANKS.sub("", cell)
        whole, _, decimals = told.partition("." if self is NumberStyle.POINT else ",")
        if mark in decimals or not re.fullmatch(
            rf"[^\d]*\d{{1,3}}(\{mark}\d{{3}})*[^\d]*|[^{mark}]*", whole
        ):
            raise ValueError(f"{cell!r} is no number written as {self.value}")
        return whole.replace(mark, "") + (f".{decimals}" if decimals else "")


class Table(msgspec.Struct, frozen=True):
    """A CSV file as text: its header, its rows, which column holds the time.

    `lines` are the rows' lines in the file, from 1; `numbers` how a person says they are written.
    """

    header: tuple[str, ...]
    rows: list[list[str]]
    time_column: int
    decimal_comma: bool
    lines: Sequence[int] = ()
    numbers: NumberStyle | None = None

    @property
    def row_lines(self) -> Sequence[int]:
        """The line of each row; they follow a header in the first line unless told otherwise."""
        return self.lines or range(2, len(self.rows) + 2)

    def by_column(self, name: str) -> dict[str, Table]:
        """The table parted by what a column says; rows that say nothing are under the empty text.

        Raises
        ------
        UsageError
            When there is no such column.
        """
        wanted = name.strip().lower()
        at = next((at for at, one in enumerate(self.header) if one.lower() == wanted), None)
        if at is None:
            raise UsageError(
                f"there is no column {name!r}", remedy="columns: " + ", ".join(self.header)
            )
        parts: dict[str, tuple[list[list[str]], list[int]]] = {}
        for row, line in zip(self.rows, self.row_lines, strict=True):
            told = row[at].strip() if len(row) > at else ""
            rows, lines = parts.setdefault(told, ([], []))
            rows.append(row)
            lines.append(line)
        return {
            told: replace(self, rows=rows, lines=lines) for told, (rows, lines) in parts.items()
        }

    def unit_in_header(self, name: str) -> tuple[str, str]:
        """A column's name without its unit, and the unit in brackets; empty without one."""
        both = _UNIT.fullmatch(name)
        return (both[1], both[2]) if both else (name, "")


class TableColumn(msgspec.Struct, frozen=True):
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
    path: Path,
    *,
    time_column: str | None = None,
    skip: int | None = None,
    numbers: NumberStyle | None = None,
    progress: Progress = unwatched,
) -> Table:
    """A CSV file, its delimiter and decimal sign told by itself.

    Above its header there may be titles: the header is the first line that names the time, or the
    one after `skip` lines.

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
    return _table_of(path, text.splitlines(), time_column, skip, numbers, progress)


def read_head(path: Path, *, skip: int | None = None) -> Table:
    """The first rows of a CSV file, to see what it is; its time column is -1 where none is found.

    Raises
    ------
    UsageError
        When it cannot be read, or is no text.
    """
    try:
        with path.open("rb") as file:
            head = file.read(_HEAD_BYTES)
    except OSError as error:
        raise UsageError(
            f"{path} cannot be read: {error.strerror}", remedy="name another file"
        ) from None
    try:
        text = head.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = head.decode("latin-1")
    lines = text.splitlines()
    # The last one may be cut off, unless that is all there is.
    whole = lines if len(head) < _HEAD_BYTES else lines[:-1]
    return _table_of(path, whole, None, skip, None, unwatched, needs_time=False)


def _table_of(
    path: Path,
    whole: Sequence[str],
    time_column: str | None,
    skip: int | None,
    numbers: NumberStyle | None,
    progress: Progress,
    *,
    needs_time: bool = True,
) -> Table:
    wanted = (time_column,) if time_column else _TIME_NAMES
    above = _header_at(whole, wanted) if skip is None else skip
    lines = whole[above:]
    if len(lines) < 2:
        raise UsageError(f"{path} holds no rows", remedy="it needs a header and rows under it")
    delimiter = delimiter_of(lines[0])
    try:
        header, *rows = csv.reader(counted(lines, progress), delimiter=delimiter, strict=True)
    except csv.Error as error:
        raise UsageError(f"{path} is no CSV: {error}", remedy="save it as CSV again") from None
    names = [name.strip() for name in header]
    found = [at for at, name in enumerate(names) if name.lower() in [w.lower() for w in wanted]]
    if not found and needs_time:
        raise UsageError(
            f"{path} has no column {' or '.join(wanted)}",
            remedy="say which holds the time, with --time; columns: " + ", ".join(names),
        )
    first = above + 2
    lines_of_rows = range(first, first + len(rows))
    at = found[0] if found else -1
    return Table(tuple(names), rows, at, delimiter == ";", lines_of_rows, numbers)


def _header_at(lines: Sequence[str], wanted: Sequence[str]) -> int:
    """The line, from 0, of the header: the first that names the time; 0 when none does."""
    names = {one.lower() for one in wanted}
    for at, line in enumerate(lines[:_MOST_ABOVE]):
        delimiter = delimiter_of(line)
        cells = {cell.strip().strip('"').strip().lower() for cell in line.split(delimiter)}
        if len(cells) > 1 and cells & names:
            return at
    return 0


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
    for line, row, moment in zip(table.row_lines, rows, times, strict=True):
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
            if table.numbers is not None:
                cell = table.numbers.plain(cell)
            value = _base_value(cell, column, has_commas=has_commas and table.numbers is None)
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
