"""A watched folder: CSV files that appear in it are read and put away."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from pathlib import Path

import structlog

from rook_tally.core.errors import RookTallyError, StoreError
from rook_tally.intake.door_protocols import DoorReport
from rook_tally.intake.doors.background_door import BackgroundDoor
from rook_tally.intake.files.file_import import imported_file
from rook_tally.store.base import Store
from rook_tally.store.site import DoorState, FolderSetting

TAKEN, REFUSED = "taken", "refused"
_LOOK_S = 1.0

_log = structlog.get_logger(__name__)


class FolderDoor(BackgroundDoor):
    """Looks into one folder for as long as it is open.

    A file is read once it no longer grows, then put into `taken`; one that cannot be read into
    `refused`, with a text beside it that says why. Each file is an import that can be undone.
    """

    def __init__(
        self, settings: FolderSetting, *, store: Store, report: DoorReport, clock: Callable[[], int]
    ) -> None:
        super().__init__(report, clock)
        self._settings = settings
        self._store = store
        self._seen: dict[Path, tuple[int, int]] = {}

    async def _run(self) -> None:
        while True:
            # Not cancelled in the midst: a file is put away once it is read.
            looking = asyncio.create_task(asyncio.to_thread(self._look))
            try:
                await asyncio.shield(looking)
            except asyncio.CancelledError:
                await looking
                raise
            await asyncio.sleep(_LOOK_S)

    def _look(self) -> None:
        folder = Path(self._settings.path)
        try:
            files = sorted(
                one for one in folder.iterdir() if one.suffix.lower() == ".csv" and one.is_file()
            )
            sizes = {one: (one.stat().st_size, one.stat().st_mtime_ns) for one in files}
        except OSError as error:
            self._report(DoorState.TRYING, f"{folder} cannot be read: {error.strerror}")
            return
        self._report(DoorState.OPEN)
        ready = [one for one in files if self._seen.get(one) == sizes[one]]
        self._seen = sizes
        for file in ready:
            try:
                self._take(file)
            except StoreError as error:
                # The file stays where it is, for the next look.
                _log.warning("store_failed", file=file.name, error=str(error))
                self._report(DoorState.TRYING, error.what)
            except OSError as error:
                self._report(DoorState.TRYING, f"{file.name} cannot be put away: {error.strerror}")

    def _take(self, file: Path) -> None:
        settings = self._settings
        try:
            done = imported_file(
                self._store,
                file,
                settings.station,
                columns=settings.columns,
                time_column=settings.time_column or None,
                zone=settings.zone or None,
                now_us=self._clock(),
            )
        except StoreError:
            raise
        except RookTallyError as error:
            put = _put_away(file, REFUSED)
            put.with_suffix(".why.txt").write_text(f"{error}\n", encoding="utf-8")
            _log.warning("file_refused", file=file.name, why=str(error))
            return
        _put_away(file, TAKEN)
        _log.info("file_taken", file=file.name, readings=done.readings, number=done.number)


def _put_away(file: Path, where: str) -> Path:
    """Move a file aside, under a name that is free."""
    folder = file.parent / where
    folder.mkdir(exist_ok=True)
    free = folder / file.name
    count = 1
    while free.exists():
        count += 1
        free = folder / f"{file.stem}-{count}{file.suffix}"
    return file.rename(free)
