"""The interface by which the window has files imported: a desk knows no doors."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

from rook_tally.core.progress import Progress


@dataclass(frozen=True, slots=True)
class FileToImport:
    """A CSV file and what a person says of it. `columns` are COLUMN=QUANTITY:UNIT parted by blanks,
    empty as their names say; `dates` is a `DateOrder`, or empty to find it out."""

    file: Path
    station: str
    zone: str
    columns: str = ""
    dates: str = ""


@dataclass(frozen=True, slots=True)
class ImportAnswer:
    """The result of a file in words, and the number of its import; 0 when nothing was written."""

    words: str
    number: int


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
