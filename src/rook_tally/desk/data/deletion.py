"""Commands that delete readings, or a field, and have them back."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.desk.data.site_commands import recorded
from rook_tally.desk.data.texts import tr, tr_count
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.store.readings.deletion import delete_readings, restore_readings
from rook_tally.store.site import Series
from rook_tally.store.site.series_removal import remove_series


@dataclass(frozen=True, slots=True)
class DeleteReadings:
    """The readings of a series at these moments shall be gone."""

    series: Series
    moments: tuple[int, ...]
    who: str
    now_us: int

    def apply(self, connection: Connection) -> UndoableResult:
        """Delete them; for a month they can be had back."""
        gone = delete_readings(
            connection,
            self.series,
            self.moments[0],
            self.moments[-1] + 1,
            who=self.who,
            now_us=self.now_us,
            only=np.array(self.moments, dtype=np.int64),
        )
        words = tr_count(gone.count, "1 reading deleted", "{0} readings deleted")
        return UndoableResult(words, RestoreReadings(self, gone.number))


@dataclass(frozen=True, slots=True)
class RestoreReadings:
    """What was deleted shall be back."""

    deleted: DeleteReadings
    number: int

    def apply(self, connection: Connection) -> UndoableResult:
        """Bring it back."""
        count = restore_readings(connection, self.deleted.series, self.number)
        words = tr_count(count, "1 reading is back", "{0} readings are back")
        return UndoableResult(words, self.deleted)


@dataclass(frozen=True, slots=True)
class RemoveField:
    """A field of a station shall be gone with its readings."""

    series: Series
    now_us: int

    def apply(self, connection: Connection) -> UndoableResult:
        """Remove it; for a month it can be had back."""
        one = self.series
        return recorded(
            connection,
            tr("{0} of {1} removed", one.field, one.station.key),
            lambda within: remove_series(within, one, now_us=self.now_us),
        )
