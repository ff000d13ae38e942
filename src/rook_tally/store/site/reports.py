"""Reports as they are kept, and what was written of them."""

from __future__ import annotations

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.named_series import slug_of
from rook_tally.core.reports.definitions import Report, checked_report
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change

# Made once: msgspec falls over when two threads are the first to decode a type.
_DECODER = msgspec.json.Decoder(Report)


class WrittenReport(msgspec.Struct, frozen=True):
    """A report as it was written: of which stretch, when, what its digest was, where the files are,
    to whom it was sent, and what went wrong, last tried when."""

    slug: str
    period: str
    made_us: int
    digest: str
    pages: int
    files: tuple[str, ...] = ()
    sent: str = ""
    trouble: str = ""
    tried_us: int = 0
    id: int = 0


def reports(connection: Connection) -> list[Report]:
    """All reports in their order. One of a newer program is passed over; it stays as it is."""
    table = schema.report
    found = []
    for document in connection.execute(sa.select(table.c.document).order_by(table.c.id)).scalars():
        try:
            found.append(_DECODER.decode(document))
        except msgspec.ValidationError:
            continue
    return found


def save_report(connection: Connection, report: Report, *, instead_of: str = "") -> Report | None:
    """Keep a report, in place of the one with its slug or of `instead_of`; returns that one.

    Raises
    ------
    UsageError
        When it cannot be, or its name is taken.
    """
    checked_report(report)
    table = schema.report
    known = {one.slug: one for one in reports(connection)}
    replaced = instead_of or report.slug
    if report.slug != replaced and report.slug in known:
        raise UsageError(f"there is a report {report.slug} already", remedy="choose another name")
    values = {"slug": report.slug, "document": msgspec.json.encode(report).decode()}
    before = known.get(replaced)
    if before is None:
        connection.execute(sa.delete(table).where(table.c.slug == report.slug))
        connection.execute(sa.insert(table).values(**values))
    else:
        connection.execute(sa.update(table).where(table.c.slug == replaced).values(**values))
        if report.slug != replaced:
            written = schema.written_report
            connection.execute(
                sa.update(written).where(written.c.slug == replaced).values(slug=report.slug)
            )
    note_change(connection, Subject.REPORTS)
    return before


def remove_report(connection: Connection, slug: str) -> Report:
    """Delete a report; returns it, so that it can come back. What was written stays where it is."""
    found = report_called(connection, slug)
    connection.execute(sa.delete(schema.report).where(schema.report.c.slug == found.slug))
    note_change(connection, Subject.REPORTS)
    return found


def report_called(connection: Connection, name: str) -> Report:
    """The report of a name or slug; UsageError listing the known ones when there is none."""
    known = reports(connection)
    wanted = slug_of(name)
    for one in known:
        if wanted in (one.slug, slug_of(one.name)):
            return one
    told = ", ".join(one.slug for one in known) or "none yet"
    raise UsageError(f"there is no report {name}", remedy=f"reports: {told}")


def written_reports(
    connection: Connection, slug: str = "", *, most: int = 200
) -> list[WrittenReport]:
    """What was written, the newest first; of one report where a slug is given."""
    table = schema.written_report
    wanted = sa.select(table).order_by(table.c.id.desc()).limit(most)
    if slug:
        wanted = wanted.where(table.c.slug == slug)
    return [
        WrittenReport(
            row.slug,
            row.period,
            row.made_us,
            row.digest,
            row.pages,
            tuple(msgspec.json.decode(row.files, type=list[str])),
            row.sent,
            row.trouble,
            row.tried_us,
            row.id,
        )
        for row in connection.execute(wanted)
    ]


def last_written(connection: Connection, slug: str, period: str) -> WrittenReport | None:
    """What was written last of a report about a stretch."""
    return next(
        (one for one in written_reports(connection, slug, most=1000) if one.period == period), None
    )


def forget_failed(connection: Connection, slug: str, period: str) -> None:
    """Drop the lines about a stretch that was not written, or not sent: it is tried again."""
    table = schema.written_report
    connection.execute(
        sa.delete(table).where(
            table.c.slug == slug, table.c.period == period, table.c.trouble != ""
        )
    )


def note_written(connection: Connection, told: WrittenReport) -> None:
    """Write down that a report was written, or what came of sending it: in place of a line with its
    number, else as a new one."""
    table = schema.written_report
    values = {
        "slug": told.slug,
        "period": told.period,
        "made_us": told.made_us,
        "digest": told.digest,
        "pages": told.pages,
        "files": msgspec.json.encode(list(told.files)).decode(),
        "sent": told.sent,
        "trouble": told.trouble,
        "tried_us": told.tried_us,
    }
    if told.id:
        connection.execute(sa.update(table).where(table.c.id == told.id).values(**values))
    else:
        connection.execute(sa.insert(table).values(**values))
    note_change(connection, Subject.REPORTS)
