"""Commands about fields of stations."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.engine import Connection

from rook_tally.core.quantities.series_settings import SeriesSettings
from rook_tally.desk.data.site_commands import recorded
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.desk.stations.texts import tr
from rook_tally.store.readings.field_meaning import settle_field
from rook_tally.store.site import Series


@dataclass(frozen=True, slots=True)
class SettleField:
    """A field shall be called, believed, shown and understood so; None leaves what it means."""

    series: Series
    settings: SeriesSettings
    quantity: str | None = None
    unit: str | None = None

    def apply(self, connection: Connection) -> UndoableResult:
        """Settle it."""
        one = self.series
        return recorded(
            connection,
            tr("{0} of {1} settled", one.field, one.station.key),
            lambda within: settle_field(
                within, one, self.settings, quantity=self.quantity, unit=self.unit
            ),
        )
