"""Names of files that were chosen, by what for: the next time begins there."""

from __future__ import annotations

import enum
from collections.abc import Mapping
from pathlib import Path


class FilePurpose(enum.StrEnum):
    """Tells apart the tasks for which a person chooses a file."""

    READINGS = "readings"
    PICTURE = "picture"
    SITE = "site"
    SHEETS = "sheets"
    COPY = "copy"
    IMPORT = "import"
    PLAN = "plan"
    JOURNAL = "journal"
    REPORT = "report"
    BENCH = "bench"
    POINTS = "points"
    PROGRAM = "program"
    KIND = "kind"
    FIRMWARE = "firmware"
    WATCHED_FOLDER = "watched folder"
    CERTIFICATE = "certificate"


class FileNames:
    """The file that was chosen last for each purpose, over the starts of a window."""

    def __init__(self) -> None:
        self._chosen: dict[str, str] = {}

    @property
    def chosen(self) -> dict[str, str]:
        """Paths by purpose."""
        return dict(self._chosen)

    def keep(self, chosen: Mapping[str, str]) -> None:
        """Go on with what an earlier window chose."""
        self._chosen = {**chosen, **self._chosen}

    def choose(self, purpose: FilePurpose, path: str) -> None:
        """A file was chosen."""
        self._chosen[purpose] = path

    def begin(self, purpose: FilePurpose, name: str, *, is_new: bool = False) -> str:
        """Where to begin: at the file chosen last, or in its folder at a name that is new each
        time; at the name alone where nothing was chosen or its folder is gone."""
        last = Path(self._chosen.get(purpose, ""))
        if purpose not in self._chosen or not last.parent.is_dir():
            return name
        return str(last.parent / name) if is_new else str(last)


FILE_NAMES = FileNames()
"""Of this process: dialogs are opened from everywhere in the window."""
