"""CSV (RFC 4180): a header of field names, then a row a moment.

`time` and `station` are columns with a meaning of their own. A header may name the unit in
brackets: `temp [°C]` or `temp (°C)`. Columns are parted by commas, semicolons or tabs; where they
are parted by semicolons a number may have a decimal comma.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Iterator

from rook_tally.core.errors import DecodeError
from rook_tally.intake.bounds import MOST_COLUMNS, RejectedValues, check_count, name_fault
from rook_tally.intake.decode.text_value import sent_time, value_and_unit
from rook_tally.intake.message import Decoded, DecodedValue

STATION, TIME = "station", "time"
_DELIMITERS = ",;\t"
_HEADER_UNIT = re.compile(r"(.*\S)\s*[\[(]\s*([^\])]+?)\s*[\])]")
_DECIMAL_COMMA = re.compile(r"[+\-−]?\d+,\d+")


def looks_like(text: str) -> bool:
    """True if a text has a header of names and a row of as many cells."""
    lines = text.splitlines()[:2]
    if len(lines) < 2 or any(one in lines[0] for one in "{}="):
        return False
    delimiter = delimiter_of(lines[0])
    header, row = csv.reader(lines, delimiter=delimiter)
    return len(header) == len(row) and not any(map(_is_number, header))


def delimiter_of(header: str) -> str:
    """The delimiter of a header: the commonest of comma, semicolon and tab."""
    return max(_DELIMITERS, key=header.count)


def decode(text: str) -> Decoded:
    """The values of a CSV message; an empty cell is no value.

    Raises
    ------
    DecodeError
        When there is no header, no row, a name twice, or a quoted cell without an end.
    """
    lines = text.lstrip("\ufeff").splitlines(keepends=True)
    if not lines:
        raise DecodeError("the message is empty", remedy="send a header and at least one row")
    delimiter = delimiter_of(lines[0])
    rows = _rows(lines, delimiter)
    header = [name.strip() for name in next(rows, [])]
    columns = _columns(header)
    items: list[DecodedValue] = []
    refused = RejectedValues()
    for at, row in enumerate(rows):
        check_count(len(items))
        if len(row) != len(header):
            refused.add(at, "", f"{len(row)} cells where the header has {len(header)}")
            continue
        _take_row(at, dict(zip(header, row, strict=True)), columns, delimiter, items, refused)
    if not items and not refused:
        raise DecodeError("there is a header and no row", remedy="send at least one row")
    return Decoded(tuple(items), refused.told())


def _rows(lines: list[str], delimiter: str) -> Iterator[list[str]]:
    try:
        for row in csv.reader(lines, delimiter=delimiter, strict=True):
            if any(cell.strip() for cell in row):
                yield row
    except csv.Error as error:
        raise DecodeError(f"not CSV: {error}", remedy="mend the sender's message") from None


def _columns(header: list[str]) -> dict[str, tuple[str, str | None]]:
    """Field and unit by header, for those that hold values."""
    if len(set(header)) != len(header) or not all(header):
        raise DecodeError(
            "not CSV we can read: a column has no name, or two have the same",
            remedy="give every column a name of its own",
        )
    fault = next(filter(None, map(name_fault, header)), "")
    if fault or len(header) > MOST_COLUMNS:
        why = fault or f"more than {MOST_COLUMNS} columns"
        raise DecodeError(f"not CSV we can read: {why}", remedy="send fewer, shorter columns")
    columns: dict[str, tuple[str, str | None]] = {}
    for name in header:
        if name.lower() in (STATION, TIME):
            continue
        both = _HEADER_UNIT.fullmatch(name)
        columns[name] = (both[1], both[2]) if both else (name, None)
    if not columns:
        raise DecodeError("no column holds values", remedy="send more than times and stations")
    return columns


def _take_row(
    at: int,
    row: dict[str, str],
    columns: dict[str, tuple[str, str | None]],
    delimiter: str,
    items: list[DecodedValue],
    refused: RejectedValues,
) -> None:
    known = {name.lower(): cell.strip() for name, cell in row.items()}
    time_us, note = sent_time(known.get(TIME) or None)
    for name, (field, header_unit) in columns.items():
        cell = row[name].strip()
        if not cell:
            continue
        if delimiter == ";" and _DECIMAL_COMMA.fullmatch(cell):
            cell = cell.replace(",", ".")
        try:
            value, unit = value_and_unit(cell)
        except ValueError as error:
            refused.add(at, field, f"{field}: {error}")
            continue
        items.append(
            DecodedValue(
                at, field, value, known.get(STATION) or None, unit or header_unit, time_us, note
            )
        )


def _is_number(cell: str) -> bool:
    try:
        float(cell.strip().replace(",", "."))
    except ValueError:
        return False
    return True
