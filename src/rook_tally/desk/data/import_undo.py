"""The imports of files, and taking back what one brought."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.engine import Connection

from rook_tally.desk.data.texts import tr_count
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.store.exchange.imports import Import, imports, take_back
from rook_tally.store.site import load_site


@dataclass(frozen=True, slots=True)
class ImportsQuery:
    """Asks which imports can be taken back, the last one first."""

    def run(self, connection: Connection) -> tuple[Import, ...]:
        """Read them."""
        return tuple(imports(connection))


@dataclass(frozen=True, slots=True)
class TakeBackImport:
    """Take out the readings of an import; to have them again the file is read again."""

    number: int

    def apply(self, connection: Connection) -> UndoableResult:
        """Take them out, but for those that were changed since."""
        series = {one.id: one for one in load_site(connection).series}
        gone = take_back(connection, self.number, series)
        return UndoableResult(
            tr_count(gone, "1 imported reading taken out", "{0} imported readings taken out"), None
        )
