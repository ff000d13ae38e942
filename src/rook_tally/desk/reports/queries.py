"""Queries of the Reports view, asked of a process of its own: a year of readings takes seconds."""

from __future__ import annotations

from dataclasses import dataclass

import msgspec
from sqlalchemy.engine import Connection

from rook_tally.core.reports.definitions import Report, ReportForm
from rook_tally.core.reports.document import ReportDocument, is_comparable
from rook_tally.core.reports.paging import Pages
from rook_tally.core.reports.periods import Period, period_named
from rook_tally.reports.writing import bytes_of, folder_beside, make, write_files
from rook_tally.store.alarms import ways
from rook_tally.store.site import load_site
from rook_tally.store.site.reports import WrittenReport, reports, written_reports

_MOST_WRITTEN = 40


class ReportListing(msgspec.Struct, frozen=True):
    """Reports, what was written of them, and the names of mail channels."""

    reports: tuple[Report, ...]
    written: tuple[WrittenReport, ...]
    channels: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class ReportListingQuery:
    """Asks what there is."""

    def run(self, connection: Connection) -> ReportListing:
        """Read it."""
        return ReportListing(
            tuple(reports(connection)),
            tuple(written_reports(connection, most=_MOST_WRITTEN)),
            tuple(one.name for one in ways(connection) if one.to),
        )


class ShownReport(msgspec.Struct, frozen=True):
    """A report laid out. `was_us`: when it was written saying something else; None for never."""

    document: ReportDocument
    pages: Pages
    digest: str
    was_us: int | None


@dataclass(frozen=True, slots=True)
class PagesQuery:
    """Asks for the pages of a report about a stretch."""

    report: Report
    period: Period
    now_us: int

    def run(self, connection: Connection) -> ShownReport:
        """Work it out and lay it out.

        Raises
        ------
        UsageError
            When its places are gone.
        """
        made = make(connection, self.report, self.period, now_us=self.now_us)
        was_us = None if made.was is None else made.was.made_us
        return ShownReport(made.document, made.pages, made.digest, was_us)


@dataclass(frozen=True, slots=True)
class SameQuery:
    """Asks whether a written report would be the same today."""

    written: WrittenReport
    report: Report
    now_us: int

    def run(self, connection: Connection) -> bool:
        """Work it out again."""
        begins = load_site(connection).settings.week_begins.number
        period = period_named(self.written.period, begins)
        made = make(connection, self.report, period, now_us=self.now_us)
        was = self.written.digest
        return made.digest == was or not is_comparable(made.digest, was)


@dataclass(frozen=True, slots=True)
class WriteQuery:
    """Has a report written into a folder."""

    report: Report
    period: Period
    folder: str
    now_us: int

    def run(self, connection: Connection) -> WrittenReport:
        """Write it; what is to be written down of it.

        Raises
        ------
        UsageError
            When the folder cannot be written.
        """
        made = make(connection, self.report, self.period, now_us=self.now_us)
        files = write_files(made, folder_beside(connection, self.folder), self.report.forms)
        return WrittenReport(
            self.report.slug,
            self.period.name,
            self.now_us,
            made.digest,
            len(made.pages.pages),
            tuple(str(one) for one in files),
        )


@dataclass(frozen=True, slots=True)
class BytesQuery:
    """Asks for the file of a report."""

    report: Report
    period: Period
    form: ReportForm
    now_us: int

    def run(self, connection: Connection) -> bytes:
        """Its bytes."""
        return bytes_of(make(connection, self.report, self.period, now_us=self.now_us), self.form)
