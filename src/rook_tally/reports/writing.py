"""Reports written into files, and whether what was written is still what would be written."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from zoneinfo import ZoneInfo

import msgspec
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.moment_words import day_words
from rook_tally.core.reports.definitions import Report, ReportForm
from rook_tally.core.reports.document import ReportDocument, is_comparable
from rook_tally.core.reports.paging import Pages
from rook_tally.core.reports.periods import Period
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.reports.build import build, changed_words, chosen
from rook_tally.reports.html import html_of
from rook_tally.reports.pdf import pages_of, pdf_of
from rook_tally.reports.texts import tr
from rook_tally.store.site import correction_entries, load_site
from rook_tally.store.site.reports import WrittenReport, written_reports

Progress = Callable[[float], None]


class MadeReport(msgspec.Struct, frozen=True):
    """A report as it would be written now. `digest` is that of what it says of the stretch; `was`
    the newest written one that says something else."""

    report: Report
    document: ReportDocument
    pages: Pages
    digest: str
    was: WrittenReport | None

    @property
    def name(self) -> str:
        """The name of its files, without their endings."""
        return f"{self.report.slug}-{self.document.period}"


def make(
    connection: Connection,
    report: Report,
    period: Period,
    *,
    now_us: int,
    progress: Progress | None = None,
) -> MadeReport:
    """Work a report out and lay it out.

    Raises
    ------
    UsageError
        When nothing of it is there any more.
    """
    plain = build(connection, report, period, now_us=now_us, progress=progress)
    digest, was = plain.digest, None
    told = plain
    zone = ZoneInfo(load_site(connection).zone)
    if period.edges_us(zone)[-1] <= now_us:
        was = _said_otherwise(connection, report.slug, period, digest)
    if was is not None:
        why = why_changed(connection, report, period, was)
        said = changed_words(was.made_us, zone, why)
        told = build(connection, report, period, now_us=now_us, changed=said)
    return MadeReport(report, told, pages_of(told, report.paper), digest, was)


def _said_otherwise(
    connection: Connection, slug: str, period: Period, digest: str
) -> WrittenReport | None:
    """The newest written report of a stretch that says something else: the same every time."""
    return next(
        (
            one
            for one in written_reports(connection, slug, most=1000)
            if one.period == period.name
            and one.pages
            and one.digest != digest
            and is_comparable(one.digest, digest)
        ),
        None,
    )


def why_changed(connection: Connection, report: Report, period: Period, was: WrittenReport) -> str:
    """Say what came between: corrections that reach into the stretch, else what else can be."""
    site = load_site(connection)
    zone = ZoneInfo(site.zone)
    end_us = int(period.edges_us(zone)[-1])
    made = [
        entry.made_us
        for one in chosen(site, report)[0]
        for entry in correction_entries(connection, one.id)
        if entry.made_us > was.made_us and entry.correction.from_us < end_us
    ]
    if not made:
        return tr("readings came late, were marked or deleted, or the report itself was changed")
    day = day_words(datetime_from_time_us(max(made)).astimezone(zone))
    return tr("a correction of {0} reaches into it", day)


def bytes_of(made: MadeReport, form: ReportForm) -> bytes:
    """The file of a form."""
    if form is ReportForm.PDF:
        return pdf_of(made.document, made.pages)
    return html_of(made.document, made.report.paper).encode()


def folder_beside(connection: Connection, folder: str) -> Path:
    """A report's folder: as it is told, else beside the store, else where this person is."""
    told = Path(folder).expanduser()
    if told.is_absolute():
        return told
    database = connection.engine.url.database
    is_file = connection.dialect.name == "sqlite" and database
    return (Path(database).resolve().parent if is_file and database else Path.home()) / told


def write_files(made: MadeReport, folder: Path, forms: tuple[ReportForm, ...]) -> tuple[Path, ...]:
    """Write a report into a folder, each file whole or not at all.

    Raises
    ------
    UsageError
        When the folder cannot be written or is full; what was there stays.
    """
    written = []
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for form in forms:
            target = folder / f"{made.name}.{form}"
            beside = target.with_name(f".{target.name}.{os.getpid()}.new")
            try:
                beside.write_bytes(bytes_of(made, form))
                beside.replace(target)
            finally:
                beside.unlink(missing_ok=True)
            written.append(target)
    except OSError as error:
        raise UsageError(
            tr("{0} cannot be written into {1}: {2}", made.name, folder, error.strerror or error),
            kept=tr("what was there before stays"),
            remedy=tr("make room there, or choose another folder"),
        ) from error
    return tuple(written)
