"""Queries and commands about what was changed."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.engine import Connection

from rook_tally.desk.data.site_commands import PutBack
from rook_tally.desk.data.texts import tr
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.store.alarms.change_undo import undo_change
from rook_tally.store.site.change_history import ConfigurationChange, configuration_changes
from rook_tally.store.site.row_changes import recording


@dataclass(frozen=True, slots=True)
class ChangesQuery:
    """Asks what was changed last."""

    most: int = 500

    def run(self, connection: Connection) -> tuple[ConfigurationChange, ...]:
        """Read the last changes, the newest first."""
        return tuple(configuration_changes(connection, most=self.most))


@dataclass(frozen=True, slots=True)
class UndoChange:
    """A change shall be taken back, whoever made it and whenever."""

    number: int
    who: str
    now_us: int

    def apply(self, connection: Connection) -> UndoableResult:
        """Take it back.

        Raises
        ------
        UsageError
            When somebody has built upon it; nothing was changed then.
        """
        with recording(connection) as made:
            undo_change(connection, self.number, who=self.who, now_us=self.now_us)
        words = tr("change {0} taken back", self.number)
        return UndoableResult(words, PutBack(words, made.changes))
