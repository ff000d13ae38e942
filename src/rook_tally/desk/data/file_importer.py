"""The interface by which the window has files imported: a desk knows no doors."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

from rook_tally.core.progress import Progress


@dataclass(frozen=True, slots=True)
class FileToImport:
    """A CSV file and what a person says of it. `columns` are COLUMN=QUANTITY:UNIT parted by blanks,
    empty as their names say; or `mapping` says column, quantity and unit. `dates` is a `DateOrder`,
    `numbers` a `NumberStyle`, or empty to find it out."""

    file: Path
    station: str
    zone: str
    columns: str = ""
    dates: str = ""
    mapping: tuple[tuple[str, str, str], ...] = ()
    numbers: str = ""


@dataclass(frozen=True, slots=True)
class ImportAnswer:
    """The result of a file in words, and the number of its import; 0 when nothing was written."""

    words: str
    number: int


@dataclass(frozen=True, slots=True)
class ColumnLook:
    """A column as it is found: its first cells, and what its name and they say it is; `quantity` is
    empty when nothing does."""

    name: str
    cells: tuple[str, ...]
    quantity: str
    unit: str


class FileLooker(Protocol):
    """Looks at the first rows of a file. Called in a thread."""

    def __call__(self, file: Path) -> tuple[ColumnLook, ...]:
        """Its columns, but for that of the time.

        Raises
        ------
        RookTallyError
            When it cannot be read, or names no time.
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
