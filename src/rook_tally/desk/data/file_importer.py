"""The interface by which the window has files imported: a desk knows no doors."""

from __future__ import annotations

import enum
from pathlib import Path
from typing import Protocol

import msgspec

from rook_tally.core.errors import UsageError
from rook_tally.core.progress import Progress
from rook_tally.core.quantities.number_input import typed_number
from rook_tally.desk.data.texts import tr

_MOST_ABOVE = 10_000


class FileToImport(msgspec.Struct, frozen=True):
    """A CSV file and what a person says of it. `columns` are COLUMN=QUANTITY:UNIT parted by blanks,
    empty as their names say; or `mapping` says column, quantity and unit. `dates` is a `DateOrder`,
    `numbers` a `NumberStyle`, or empty to find it out. `time_column` holds the time and
    `station_column` the station of each row, empty where their names say so; `skip` lines stand
    above the header, None where it is looked for."""

    file: Path
    station: str
    zone: str
    columns: str = ""
    dates: str = ""
    mapping: tuple[tuple[str, str, str], ...] = ()
    numbers: str = ""
    time_column: str = ""
    station_column: str = ""
    skip: int | None = None


class ImportAnswer(msgspec.Struct, frozen=True):
    """The result of a file in words, and the number of its import; 0 when nothing was written."""

    words: str
    number: int


class ColumnRole(enum.Enum):
    """What a column is for."""

    READINGS = enum.auto()
    TIME = enum.auto()
    STATION = enum.auto()


class ColumnLook(msgspec.Struct, frozen=True):
    """A column as it is found: its first cells, and what its name and they say it is; `quantity` is
    empty when nothing does, and where it holds no readings."""

    name: str
    cells: tuple[str, ...]
    quantity: str
    unit: str
    role: ColumnRole = ColumnRole.READINGS


class FileLooker(Protocol):
    """Looks at the first rows of a file. Called in a thread."""

    def __call__(self, file: Path, skip: int | None) -> tuple[ColumnLook, ...]:
        """Its columns; the header stands after `skip` lines, None where it is looked for.

        Raises
        ------
        RookTallyError
            When it cannot be read.
        """
        ...


class FileImporter(Protocol):
    """Reads CSV files into a station's series. Called in a thread; may take long."""

    def __call__(self, asked: FileToImport, *, dry_run: bool, progress: Progress) -> ImportAnswer:
        """Read a file, or say what that would do.

        Raises
        ------
        RookTallyError
            When nothing of it can be read.
        CancelledError
            When it was cancelled; nothing of it is kept.
        """
        ...


def lines_above(text: str) -> int | None:
    """How many lines a person says stand above the header of a file; None when nothing is typed.

    Raises
    ------
    UsageError
        When it is no such number.
    """
    if not text.strip():
        return None
    number = typed_number(text)
    if number != int(number) or not 0 <= number <= _MOST_ABOVE:
        raise UsageError(
            tr("{0} lines cannot stand above the header", text.strip()),
            remedy=tr("give a whole number from 0 to {0}, or leave it empty", _MOST_ABOVE),
        )
    return int(number)
