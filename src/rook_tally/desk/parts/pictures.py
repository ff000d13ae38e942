"""Pictures of the store, read once and kept while they are looked at."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeAlias

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage
from sqlalchemy.engine import Connection

from rook_tally.desk.data.store_client import StoreClient
from rook_tally.store.site.plans import picture_numbered

_MOST = 12

PictureSource: TypeAlias = Callable[[int], QImage | None]
"""The picture of a number; None while it is on its way, or when it is not there."""


@dataclass(frozen=True, slots=True)
class PictureQuery:
    """A picture, as it is kept; empty when it is not there any more."""

    number: int
    subject: str = "picture"

    def run(self, connection: Connection) -> bytes:
        """Read it."""
        return picture_numbered(connection, self.number) or b""


class Pictures(QObject):
    """Asks for pictures as they are first wanted. `arrived` tells that one is there."""

    arrived = Signal()

    def __init__(self, client: StoreClient, parent: QObject) -> None:
        super().__init__(parent)
        self._client = client
        self._known: dict[int, QImage | None] = {}

    @property
    def is_up_to_date(self) -> bool:
        """True if something was asked for, and all of it is there."""
        return bool(self._known) and None not in self._known.values()

    def image(self, number: int) -> QImage | None:
        """The picture of a number, or None while it is read."""
        if number not in self._known:
            if len(self._known) >= _MOST:
                del self._known[next(iter(self._known))]
            self._known[number] = None
            self._client.read(PictureQuery(number), lambda body: self._take(number, body))
        return self._known[number]

    def _take(self, number: int, body: bytes) -> None:
        image = QImage.fromData(body)
        if not image.isNull():
            self._known[number] = image
            self.arrived.emit()


def no_pictures(_number: int) -> QImage | None:
    """No picture is there."""
    return None
