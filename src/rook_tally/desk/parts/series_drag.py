"""Series carried from one place of the window to another with the mouse."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QByteArray, QMimeData, Qt
from PySide6.QtGui import QDrag
from PySide6.QtWidgets import QWidget

from rook_tally.store.site import Series

_FORM = "application/x-rook-tally-series"


def carried_series(data: QMimeData) -> list[int]:
    """The ids of the series in what is carried; empty for anything else."""
    if not data.hasFormat(_FORM):
        return []
    return [int(word) for word in bytes(data.data(_FORM).data()).decode().split()]


def load_of(series: Sequence[Series]) -> QMimeData:
    """The drag data of series."""
    data = QMimeData()
    data.setData(_FORM, QByteArray(" ".join(str(one.id) for one in series).encode()))
    data.setText(", ".join(f"{one.station.place.name} {one.quantity.name}" for one in series))
    return data


def carry(source: QWidget, series: Sequence[Series]) -> None:
    """Let the mouse carry series until its button is let go."""
    drag = QDrag(source)
    drag.setMimeData(load_of(series))
    drag.exec(Qt.DropAction.CopyAction)
