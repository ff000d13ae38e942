"""Commands about reports and guidelines."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from rook_tally.cli.options import JsonOption, StoreOption, chosen_store
from rook_tally.core.reports.definitions import Paper, ReportForm, ReportPart, ReportStretch

reports_app = typer.Typer()
report_app = typer.Typer(help="Reports: described once, written by hand or by schedule.")
guideline_app = typer.Typer(help="Guidelines that means are held against.")
reports_app.add_typer(report_app, name="report", no_args_is_help=True)
reports_app.add_typer(guideline_app, name="guideline", no_args_is_help=True)

NameArgument = Annotated[str, typer.Argument(metavar="NAME", help="As `report list` has it.")]
ForOption = Annotated[
    str,
    typer.Option(
        "--for",
        metavar="STRETCH",
        help="2026, 2026-Q4, 2026-11, 2026-W48, 2026-11-23 or first_last day; else the last one.",
    ),
]


@report_app.command("list")
def report_list(
    context: typer.Context, as_json: JsonOption = False, store: StoreOption = None
) -> None:
    """Every report, when it goes out and whereto, and what was written last."""
    from rook_tally.cli.reports import list_reports

    list_reports(chosen_store(context, store), as_json=as_json)


@report_app.command("show")
def report_show(
    context: typer.Context,
    name: NameArgument,
    for_: ForOption = "",
    as_json: JsonOption = False,
    store: StoreOption = None,
) -> None:
    """Print a report's sentences and tables."""
    from rook_tally.cli.reports import show_report

    show_report(chosen_store(context, store), name, for_, as_json=as_json)


@report_app.command("add")
def report_add(
    context: typer.Context,
    slug: Annotated[str, typer.Argument(metavar="NAME", help="In lower case, with hyphens.")],
    name: Annotated[str, typer.Option(metavar="TEXT", help="How people call it.")] = "",
    stretch: Annotated[ReportStretch, typer.Option(help="What it is about.")] = ReportStretch.MONTH,
    begin: Annotated[str, typer.Option(metavar="DAY", help="Of an own stretch.")] = "",
    end: Annotated[str, typer.Option(metavar="DAY", help="Of an own stretch.")] = "",
    place: Annotated[
        list[str] | None, typer.Option(metavar="PLACE", help="Only this one; may come again.")
    ] = None,
    quantity: Annotated[
        list[str] | None, typer.Option(metavar="QUANTITY", help="Only this; may come again.")
    ] = None,
    part: Annotated[list[ReportPart] | None, typer.Option(help="A part; may come again.")] = None,
    at: Annotated[
        str, typer.Option(metavar="HH:MM", help="Goes out once its stretch is over; else by hand.")
    ] = "",
    folder: Annotated[str, typer.Option(metavar="FOLDER", help="Where it is put.")] = "",
    mail: Annotated[
        list[str] | None, typer.Option(metavar="CHANNEL", help="A mail channel; may come again.")
    ] = None,
    form: Annotated[
        list[ReportForm] | None, typer.Option(help="pdf, html; may come again.")
    ] = None,
    paper: Annotated[Paper, typer.Option(help="The size of its pages.")] = Paper.A4,
    store: StoreOption = None,
) -> None:
    """Describe a report; one of that name is replaced."""
    from rook_tally.cli.reports import ReportWords, add_report

    add_report(
        chosen_store(context, store),
        ReportWords(
            slug=slug,
            name=name or slug,
            stretch=stretch,
            begin=begin,
            end=end,
            places=tuple(place or ()),
            quantities=tuple(quantity or ()),
            parts=tuple(part or ()),
            at=at,
            folder=folder,
            mail=tuple(mail or ()),
            forms=tuple(form or ()),
            paper=paper,
        ),
    )


@report_app.command("remove")
def report_remove(context: typer.Context, name: NameArgument, store: StoreOption = None) -> None:
    """Delete a report; what was written of it stays."""
    from rook_tally.cli.reports import delete_report

    delete_report(chosen_store(context, store), name)


@report_app.command("run")
def report_run(
    context: typer.Context,
    name: NameArgument,
    for_: ForOption = "",
    to: Annotated[
        Path | None, typer.Option("--to", metavar="FOLDER", help="Else its own, else here.")
    ] = None,
    form: Annotated[
        list[ReportForm] | None, typer.Option(help="Else those it is kept with.")
    ] = None,
    as_json: JsonOption = False,
    store: StoreOption = None,
) -> None:
    """Write a report into a folder now."""
    from rook_tally.cli.reports import run_report

    run_report(chosen_store(context, store), name, for_, to, tuple(form or ()), as_json=as_json)


@report_app.command("export")
def report_export(
    context: typer.Context,
    name: Annotated[str, typer.Option("--report", metavar="NAME", help="This one only.")] = "",
    store: StoreOption = None,
) -> None:
    """Print reports as TOML."""
    from rook_tally.cli.reports import export_reports

    export_reports(chosen_store(context, store), name)


@report_app.command("read")
def report_read(
    context: typer.Context,
    file: Annotated[Path, typer.Argument(help="A TOML file; see docs/reports.md.")],
    store: StoreOption = None,
) -> None:
    """Keep the reports of a file; those of the same names are replaced."""
    from rook_tally.cli.reports import read_reports

    read_reports(chosen_store(context, store), file)


@report_app.command("written")
def report_written(
    context: typer.Context,
    check: Annotated[
        bool, typer.Option("--check", help="Work each out again: would the same be written?")
    ] = False,
    as_json: JsonOption = False,
    store: StoreOption = None,
) -> None:
    """List the reports that were written, the newest first, with their files and mails."""
    from rook_tally.cli.reports import list_written

    list_written(chosen_store(context, store), check=check, as_json=as_json)


@guideline_app.command("list")
def guideline_list(
    context: typer.Context, as_json: JsonOption = False, store: StoreOption = None
) -> None:
    """Every guideline with its source."""
    from rook_tally.cli.reports import list_guidelines

    list_guidelines(chosen_store(context, store), as_json=as_json)


@guideline_app.command("add")
def guideline_add(
    context: typer.Context,
    slug: Annotated[str, typer.Argument(metavar="NAME", help="In lower case, with hyphens.")],
    quantity: Annotated[str, typer.Argument(help="Such as pm25.")],
    limit: Annotated[
        str, typer.Argument(help="With its unit where that is not the usual one; 0 with --follows.")
    ],
    rule: Annotated[str, typer.Option(metavar="hour|8h|day|year", help="Which mean.")] = "day",
    allowed: Annotated[int, typer.Option(metavar="DAYS", help="Allowed a year.")] = 0,
    name: Annotated[str, typer.Option(metavar="TEXT", help="How people call it.")] = "",
    source: Annotated[str, typer.Option(metavar="TEXT", help="Where it is from.")] = "",
    follows: Annotated[
        str,
        typer.Option(
            metavar="STATION.FIELD", help="The limit is what that series says, as of a poll door."
        ),
    ] = "",
    store: StoreOption = None,
) -> None:
    """Write an own guideline; one of that name is replaced."""
    from rook_tally.cli.reports import add_guideline

    add_guideline(
        chosen_store(context, store),
        slug,
        quantity,
        limit,
        rule=rule,
        allowed=allowed,
        name=name,
        source=source,
        follows=follows,
    )


@guideline_app.command("remove")
def guideline_remove(
    context: typer.Context,
    slug: Annotated[str, typer.Argument(metavar="NAME")],
    store: StoreOption = None,
) -> None:
    """Delete an own guideline."""
    from rook_tally.cli.reports import delete_guideline

    delete_guideline(chosen_store(context, store), slug)
