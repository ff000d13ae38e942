"""Files dropped on the window: readings and site files are opened as their dialogs would."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QEvent, QMimeData, QObject
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QWidget

from rook_tally.desk.app.texts import tr

_READINGS = (".csv", ".tsv", ".txt")
_SITES = (".toml",)


class FileDrop(QObject):
    """Takes one file that is dropped on a window; another sort is refused with a reason."""

    def __init__(
        self,
        window: QWidget,
        *,
        read_readings: Callable[[str], None],
        read_site: Callable[[str], None],
        tell: Callable[[str], None],
    ) -> None:
        super().__init__(window)
        self._read_readings, self._read_site, self._tell = read_readings, read_site, tell
        window.setAcceptDrops(True)
        window.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Take what is dropped, leave all else."""
        if isinstance(event, QDropEvent) and _files_of(event.mimeData()):
            if event.type() in (QEvent.Type.DragEnter, QEvent.Type.DragMove):
                event.acceptProposedAction()
                return True
            if event.type() is QEvent.Type.Drop:
                event.acceptProposedAction()
                self._take(_files_of(event.mimeData()))
                return True
        return super().eventFilter(watched, event)

    def _take(self, files: list[str]) -> None:
        if len(files) > 1:
            self._tell(tr("One file at a time: {0} were dropped, and none was read.", len(files)))
            return
        (file,) = files
        suffix = Path(file).suffix.lower()
        if suffix in _READINGS:
            self._read_readings(file)
        elif suffix in _SITES:
            self._read_site(file)
        else:
            self._tell(
                tr("{0} is neither a table of readings (CSV) nor a site file.", Path(file).name)
            )


def _files_of(data: QMimeData) -> list[str]:
    return [one.toLocalFile() for one in data.urls() if one.isLocalFile()]
