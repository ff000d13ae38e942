"""`rook-tally report` and `guideline`."""

from __future__ import annotations

from datetime import date
from pathlib import Path
from zoneinfo import ZoneInfo

import msgspec
import typer
from sqlalchemy.engine import Connection

from rook_tally.cli.changing import changing
from rook_tally.cli.progress_line import progress_line
from rook_tally.clock import now_us
from rook_tally.core.errors import UsageError
from rook_tally.core.moment_words import write_moments
from rook_tally.core.quantities.guidelines import Guideline, Rule
from rook_tally.core.quantities.named_series import slug_of
from rook_tally.core.quantities.number_format import write_with
from rook_tally.core.quantities.number_input import number_and_unit
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.reports.definitions import (
    USUAL_PARTS,
    Paper,
    Report,
    ReportForm,
    ReportPart,
    ReportStretch,
)
from rook_tally.core.reports.document import Paragraph, ReportDocument, ReportTable, is_comparable
from rook_tally.core.reports.files import reports_from_toml, reports_to_toml
from rook_tally.core.reports.periods import Period, last_period, period_named
from rook_tally.core.site_settings import DecimalMark, SiteSettings
from rook_tally.core.timestamps import rfc3339
from rook_tally.reports.writing import MadeReport, folder_beside, make, write_files
from rook_tally.store.alarms import ways
from rook_tally.store.base import Store
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import load_site
from rook_tally.store.site.guidelines import (
    guidelines,
    own_guidelines,
    remove_guideline,
    save_guideline,
)
from rook_tally.store.site.reports import (
    WrittenReport,
    note_written,
    remove_report,
    report_called,
    reports,
    save_report,
    written_reports,
)


class ReportWords(msgspec.Struct, frozen=True):
    """A report as options have it."""

    slug: str
    name: str
    stretch: ReportStretch
    begin: str
    end: str
    places: tuple[str, ...]
    quantities: tuple[str, ...]
    parts: tuple[ReportPart, ...]
    at: str
    folder: str
    mail: tuple[str, ...]
    forms: tuple[ReportForm, ...]
    paper: Paper


def write_as_the_site_does(settings: SiteSettings) -> None:
    """Write figures and moments as the site's settings say."""
    write_with("," if settings.decimals is DecimalMark.COMMA else ".")
    write_moments(settings.dates, settings.clocks)


def list_reports(where: str, *, as_json: bool) -> None:
    """Print every report and what was written of it last."""
    with existing_store(where) as store, store.read() as connection:
        told = reports(connection)
        last: dict[str, WrittenReport] = {}
        for one in written_reports(connection, most=1000):
            last.setdefault(one.slug, one)
    if as_json:
        rows = [
            {**_whole(one), "last": _written_row(last[one.slug]) if one.slug in last else None}
            for one in told
        ]
        typer.echo(msgspec.json.encode(rows).decode())
        return
    for report in told:
        when = f"{report.stretch}, at {report.at}" if report.at else f"{report.stretch}, by hand"
        goes = ", ".join([*([report.folder] if report.folder else []), *report.mail])
        typer.echo(f"{report.slug:<20} {when:<20} {report.name}{f' → {goes}' if goes else ''}")
        if report.slug in last:
            typer.echo(f"  {_written_words(last[report.slug])}")


def _whole(one: Report | Guideline) -> dict[str, object]:
    """All that a document says, what is as usual included."""
    return {name: msgspec.to_builtins(getattr(one, name)) for name in one.__struct_fields__}


def _written_words(one: WrittenReport) -> str:
    told = f"{one.period}, written {rfc3339(one.made_us)[:16].replace('T', ' ')} UTC"
    if one.trouble:
        told += f"; not sent: {one.trouble}"
    elif one.sent:
        told += f"; {one.sent}"
    return f"{told}, {one.pages} page{'' if one.pages == 1 else 's'}"


def _written_row(one: WrittenReport) -> dict[str, object]:
    return {
        "report": one.slug,
        "period": one.period,
        "written": rfc3339(one.made_us),
        "pages": one.pages,
        "files": list(one.files),
        "sent": one.sent,
        "trouble": one.trouble,
    }


def add_report(where: str, told: ReportWords) -> None:
    """Keep a report as the options describe it."""
    report = Report(
        slug=slug_of(told.slug),
        name=told.name,
        stretch=told.stretch,
        places=told.places,
        quantities=told.quantities,
        parts=tuple(one for one in ReportPart if one in told.parts) or USUAL_PARTS,
        begin=_day(told.begin, "--begin"),
        end=_day(told.end, "--end"),
        at=told.at,
        folder=told.folder,
        mail=told.mail,
        forms=told.forms or (ReportForm.PDF, ReportForm.HTML),
        paper=told.paper,
    )
    with changing(where) as connection:
        check_names(connection, report)
        replaced = save_report(connection, report) is not None
    typer.echo(f"{report.name}: {'replaced' if replaced else 'new'}")


def check_names(connection: Connection, report: Report) -> None:
    """Refuse places, quantities and channels that are not there.

    Raises
    ------
    UsageError
        With those that are.
    """
    known = {one.name for one in load_site(connection).places}
    for place in report.places:
        if place not in known:
            raise UsageError(
                f"there is no place {place}", remedy=f"places: {', '.join(sorted(known)) or 'none'}"
            )
    for quantity in report.quantities:
        if quantity not in QUANTITIES:
            raise UsageError(
                f"there is no quantity {quantity}", remedy=f"quantities: {', '.join(QUANTITIES)}"
            )
    mails = {one.name for one in ways(connection) if one.to}
    for channel in report.mail:
        if channel not in mails:
            raise UsageError(
                f"there is no mail channel {channel}",
                remedy=f"mail channels: {', '.join(sorted(mails)) or 'none yet'}",
            )


def _day(text: str, option: str) -> date | None:
    if not text:
        return None
    try:
        return date.fromisoformat(text)
    except ValueError:
        raise UsageError(f"{option}: {text!r} is no day", remedy="write 2026-08-12") from None


def delete_report(where: str, name: str) -> None:
    """Delete a report."""
    with changing(where) as connection:
        typer.echo(f"{remove_report(connection, report_called(connection, name).slug).name}: gone")


def _period(connection: Connection, report: Report, for_: str) -> Period:
    site = load_site(connection)
    begins = site.settings.week_begins.number
    if for_:
        return period_named(for_, begins)
    return last_period(report, now_us(), ZoneInfo(site.zone), begins)


def made_report(store: Store, name: str, for_: str) -> MadeReport:
    """Work a report out, with a line of progress."""
    with store.read() as connection, progress_line("working it out") as progress:
        write_as_the_site_does(load_site(connection).settings)
        report = report_called(connection, name)
        period = _period(connection, report, for_)
        return make(connection, report, period, now_us=now_us(), progress=progress)


def show_report(where: str, name: str, for_: str, *, as_json: bool) -> None:
    """Print a report's sentences and tables."""
    with existing_store(where) as store:
        made = made_report(store, name, for_)
    if as_json:
        typer.echo(msgspec.json.encode(_document_row(made)).decode())
        return
    told = made.document
    typer.echo(f"{told.title}\n{told.subtitle}\n{' · '.join(told.aside)}")
    for section in told.sections:
        typer.echo(f"\n{section.title}" if section.title else "")
        for block in section.blocks:
            if isinstance(block, Paragraph):
                typer.echo(block.text)
            elif isinstance(block, ReportTable):
                _print_table(block)
            else:
                typer.echo(f"[{block.title}: {block.spoken}]")


def _print_table(table: ReportTable) -> None:
    rows = [table.head, *(tuple(cell.text for cell in row) for row in table.rows)]
    widths = [max(len(row[at]) for row in rows) for at in range(len(table.head))]
    for row in rows:
        cells = [
            text.rjust(width) if side == "r" else text.ljust(width)
            for text, width, side in zip(row, widths, table.sides, strict=True)
        ]
        typer.echo("  ".join(cells).rstrip())


def _document_row(made: MadeReport) -> dict[str, object]:
    told: ReportDocument = made.document
    return {
        "report": told.slug,
        "period": told.period,
        "title": told.title,
        "subtitle": told.subtitle,
        "aside": list(told.aside),
        "pages": len(made.pages.pages),
        "digest": made.digest,
        "changed_since": None if made.was is None else rfc3339(made.was.made_us),
        "sections": [
            {
                "part": section.part,
                "title": section.title,
                "text": [one.text for one in section.blocks if isinstance(one, Paragraph)],
                "tables": [
                    {
                        "head": list(one.head),
                        "rows": [[cell.text for cell in row] for row in one.rows],
                    }
                    for one in section.blocks
                    if isinstance(one, ReportTable)
                ],
            }
            for section in told.sections
        ],
    }


def run_report(
    where: str,
    name: str,
    for_: str,
    to: Path | None,
    forms: tuple[ReportForm, ...],
    *,
    as_json: bool,
) -> None:
    """Write a report into a folder, and write down that it was."""
    with existing_store(where) as store:
        made = made_report(store, name, for_)
        with store.read() as connection:
            own = made.report.folder
            folder = to or (folder_beside(connection, own) if own else Path())
        files = write_files(made, folder, forms or made.report.forms)
        written = WrittenReport(
            made.report.slug,
            made.document.period,
            now_us(),
            made.digest,
            len(made.pages.pages),
            tuple(str(one.resolve()) for one in files),
        )
        with store.write() as connection:
            note_written(connection, written)
    if as_json:
        row = _written_row(written) | {
            "digest": written.digest,
            "title": made.document.title,
            "subtitle": made.document.subtitle,
            "text": _summary(made.document),
            "changed_since": None if made.was is None else rfc3339(made.was.made_us),
        }
        typer.echo(msgspec.json.encode(row).decode())
        return
    for one in files:
        typer.echo(str(one))
    if made.was is not None:
        typer.echo("it says something else than what was written before", err=True)


def _summary(document: ReportDocument) -> str:
    """The paragraphs that stand first: what a mail says."""
    told = [
        block.text
        for section in document.sections
        if not section.title
        for block in section.blocks
        if isinstance(block, Paragraph)
    ]
    return "\n\n".join(told)


def export_reports(where: str, name: str) -> None:
    """Print reports as TOML."""
    with existing_store(where) as store, store.read() as connection:
        told = [report_called(connection, name)] if name else reports(connection)
    typer.echo(reports_to_toml(told), nl=False)


def read_reports(where: str, file: Path) -> None:
    """Keep the reports of a file, all or none."""
    try:
        text = file.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise UsageError(f"{file} cannot be read: {error}", kept="no report was changed") from error
    told = reports_from_toml(text)
    with changing(where) as connection:
        for one in told:
            replaced = save_report(connection, one) is not None
            typer.echo(f"{one.name}: {'replaced' if replaced else 'new'}")


def list_written(where: str, *, check: bool, as_json: bool) -> None:
    """Print what was written; with `check` also whether the same would be written today."""
    rows = []
    with existing_store(where) as store, store.read() as connection:
        site = load_site(connection)
        write_as_the_site_does(site.settings)
        known = {one.slug: one for one in reports(connection)}
        for one in written_reports(connection):
            row = _written_row(one)
            if check:
                row["state"] = _state(connection, known.get(one.slug), one)
            rows.append(row)
            if not as_json:
                state = f" · {row['state']}" if check else ""
                typer.echo(f"{one.slug:<20} {_written_words(one)}{state}")
    if as_json:
        typer.echo(msgspec.json.encode(rows).decode())


def _state(connection: Connection, report: Report | None, one: WrittenReport) -> str:
    if report is None:
        return "the report is gone"
    period = period_named(one.period, load_site(connection).settings.week_begins.number)
    now = make(connection, report, period, now_us=now_us())
    if not is_comparable(now.digest, one.digest):
        return "written by another version of the program"
    return "as it is now" if now.digest == one.digest else "changed since"


def list_guidelines(where: str, *, as_json: bool) -> None:
    """Print every guideline."""
    with existing_store(where) as store, store.read() as connection:
        told, own = guidelines(connection), {one.slug for one in own_guidelines(connection)}
    if as_json:
        rows = [{**_whole(one), "own": one.slug in own} for one in told]
        typer.echo(msgspec.json.encode(rows).decode())
        return
    for one in told:
        unit = QUANTITIES[one.quantity].base.symbol
        limit = f"{one.limit:g} {unit}" if one.follows is None else ".".join(one.follows)
        typer.echo(
            f"{one.slug:<20} {one.quantity:<18} {one.rule.words:<22} {limit:<14} {one.source}"
        )


def add_guideline(
    where: str,
    slug: str,
    quantity: str,
    limit: str,
    *,
    rule: str,
    allowed: int,
    name: str,
    source: str,
    follows: str,
) -> None:
    """Keep an own guideline."""
    if quantity not in QUANTITIES:
        raise UsageError(
            f"there is no quantity {quantity}", remedy=f"quantities: {', '.join(QUANTITIES)}"
        )
    try:
        chosen = Rule(rule)
    except ValueError:
        raise UsageError(f"there is no rule {rule}", remedy=f"rules: {', '.join(Rule)}") from None
    number, unit = number_and_unit(limit)
    known = QUANTITIES[quantity].base if not unit else QUANTITIES[quantity].unit(unit)
    if known is None:
        raise UsageError(f"{quantity} has no unit {unit}")
    station, _, field = follows.rpartition(".")
    told = Guideline(
        station=station,
        field=field if station else follows,
        slug=slug_of(slug),
        name=name or slug,
        quantity=quantity,
        rule=chosen,
        limit=float(known.to_base(number)),
        allowed=allowed,
        source=source,
    )
    with changing(where) as connection:
        known_series = {(one.station.key, one.field) for one in load_site(connection).series}
        if told.follows is not None and told.follows not in known_series:
            raise UsageError(
                f"there is no series {follows}",
                kept="no guideline was changed",
                remedy="`rook-tally latest` lists them",
            )
        replaced = save_guideline(connection, told) is not None
    typer.echo(f"{told.slug}: {'replaced' if replaced else 'new'}")


def delete_guideline(where: str, slug: str) -> None:
    """Delete an own guideline."""
    with changing(where) as connection:
        typer.echo(f"{remove_guideline(connection, slug).slug}: gone")
