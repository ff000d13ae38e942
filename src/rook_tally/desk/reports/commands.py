"""Commands of the Reports view that can be undone."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.engine import Connection

from rook_tally.core.reports.definitions import Report
from rook_tally.desk.data.undo import SavedResult, UndoableResult
from rook_tally.desk.reports.texts import tr
from rook_tally.store.site.reports import WrittenReport, note_written, remove_report, save_report


@dataclass(frozen=True, slots=True)
class SaveReport:
    """A report shall be kept, in place of another one where it was altered."""

    report: Report
    instead_of: str = ""

    def apply(self, connection: Connection) -> SavedResult[Report]:
        """Keep it.

        Raises
        ------
        UsageError
            When it cannot be, or its name is taken.
        """
        before = save_report(connection, self.report, instead_of=self.instead_of)
        inverse = (
            RemoveReport(self.report.slug)
            if before is None
            else SaveReport(before, self.report.slug)
        )
        return SavedResult(tr("{0} is kept", self.report.name), inverse, self.report)


@dataclass(frozen=True, slots=True)
class RemoveReport:
    """A report shall be deleted."""

    slug: str

    def apply(self, connection: Connection) -> UndoableResult:
        """Delete it."""
        gone = remove_report(connection, self.slug)
        return UndoableResult(tr("{0} is deleted", gone.name), SaveReport(gone))


@dataclass(frozen=True, slots=True)
class NoteWritten:
    """It was written down."""

    written: WrittenReport

    def apply(self, connection: Connection) -> None:
        """Keep a line about it."""
        note_written(connection, self.written)
