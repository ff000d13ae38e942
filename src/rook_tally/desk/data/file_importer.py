"""The interface by which the window has files imported: a desk knows no doors."""

from __future__ import annotations

from pathlib import Path
from typing import Protocol


class FileImporter(Protocol):
    """Reads CSV files into a station's series. Called in a thread; may take long."""

    def __call__(
        self, file: Path, station: str, zone: str, *, dry_run: bool, columns: str, dates: str
    ) -> str:
        """Read a file, or say what that would do; returns it in words.

        Raises
        ------
        RookTallyError
            When nothing of it can be read.
        """
        ...
