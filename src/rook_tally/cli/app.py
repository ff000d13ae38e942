"""The command line: names, options and help of every command; what each does is in its module."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer
from typer.main import get_command_name
from typer.models import CommandInfo

from rook_tally import __version__
from rook_tally.cli.options import JsonOption, StoreOption, chosen_store
from rook_tally.core.errors import RookTallyError, UsageError
from rook_tally.core.malloc_tuning import FOR_A_WINDOW_MB, keep_freed_memory

app = typer.Typer(
    name="rook-tally",
    help="Readings from small networked sensors: taken in, kept and shown on your own machine.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
)


def main() -> None:
    """Run a command: exit code 0 done, 1 could not, 2 wrong usage."""
    words = _command_words(sys.argv[1:])
    if words[:1] == ["desk"]:
        keep_freed_memory(FOR_A_WINDOW_MB)
    else:
        keep_freed_memory()
        _add_other_commands()
    keep_only(app, words)
    try:
        app()
    except UsageError as error:
        _fail(error, 2)
    except RookTallyError as error:
        _fail(error, 1)
    except BrokenPipeError:
        # Whoever read our output has heard enough; Python must not complain while closing it.
        sys.stdout = None
        raise SystemExit(1) from None


def _command_words(words: list[str]) -> list[str]:
    """The words from the command's name on, with `--store` before it or not."""
    return words[2:] if words[:1] == ["--store"] else words


def _add_other_commands() -> None:
    """Importing them takes longer than the window's start should wait."""
    from rook_tally.cli.app_bench import bench_app
    from rook_tally.cli.app_care import care_app
    from rook_tally.cli.app_doors import doors_app
    from rook_tally.cli.app_fields import fields_app
    from rook_tally.cli.app_firmware import firmwares_app
    from rook_tally.cli.app_forwards import forwards_app
    from rook_tally.cli.app_limits import limits_app
    from rook_tally.cli.app_places import places_app
    from rook_tally.cli.app_plans import plans_app
    from rook_tally.cli.app_reports import reports_app
    from rook_tally.cli.app_site import sites_app
    from rook_tally.cli.app_stations import stations_app
    from rook_tally.cli.app_wall import wall_app
    from rook_tally.cli.app_watches import watches_app
    from rook_tally.cli.app_workings import workings_app

    parts = (
        *(sites_app, stations_app, limits_app, fields_app, places_app, plans_app),
        *(doors_app, care_app, workings_app, watches_app, wall_app, bench_app, reports_app),
        *(forwards_app, firmwares_app),
    )
    for one in parts:
        app.add_typer(one)


def keep_only(part: typer.Typer, words: list[str]) -> None:
    """Leave only the command that the words name, of a part whose groups without a name are as its
    own commands: to put all of more than a hundred together takes ten times as long as a command.
    A name that nobody knows, or an option such as `--help`, leaves everything."""
    if not words:
        return
    nameless = [
        one.typer_instance for one in part.registered_groups if not isinstance(one.name, str)
    ]
    for holder in (part, *filter(None, nameless)):
        commands = [one for one in holder.registered_commands if _name_of(one) == words[0]]
        groups = [one for one in holder.registered_groups if one.name == words[0]]
        if commands or groups:
            part.registered_commands, part.registered_groups = commands, groups
            for group in groups:
                if group.typer_instance is not None:
                    keep_only(group.typer_instance, words[1:])
            return


def _name_of(command: CommandInfo) -> str:
    assert command.callback is not None
    return command.name or get_command_name(command.callback.__name__)


def _fail(error: RookTallyError, code: int) -> None:
    sys.stderr.write(f"rook-tally: {error}\n")
    raise SystemExit(code)


def _print_version(wanted: bool) -> None:
    if wanted:
        typer.echo(f"rook-tally {__version__}")
        raise typer.Exit


@app.callback()
def _everywhere(
    context: typer.Context,
    store: StoreOption = None,
    _version: Annotated[
        bool, typer.Option("--version", callback=_print_version, is_eager=True, help="Print it.")
    ] = False,
) -> None:
    context.obj = store


@app.command()
def desk(
    context: typer.Context,
    store: StoreOption = None,
    collect_too: Annotated[
        bool,
        typer.Option("--collect/--no-collect", help="Run a collector as well when none is heard."),
    ] = True,
    until_painted: Annotated[
        bool, typer.Option(hidden=True, help="Say so at the first picture, and end: for bench.")
    ] = False,
) -> None:
    """Open the window."""
    from rook_tally.cli.desk import run_desk

    where = chosen_store(context, store)
    raise typer.Exit(run_desk(where, collect_too=collect_too, until_painted=until_painted))


@app.command()
def collect(
    context: typer.Context,
    store: StoreOption = None,
    http: Annotated[str, typer.Option(metavar="HOST:PORT")] = "127.0.0.1:4711",
    broker: Annotated[
        str, typer.Option(metavar="builtin:HOST:PORT|mqtt://…|off", envvar="ROOK_TALLY_BROKER")
    ] = "builtin:127.0.0.1:4712",
    tls_cert: Annotated[
        Path | None, typer.Option(metavar="FILE", help="Speak HTTPS with this certificate (PEM).")
    ] = None,
    tls_key: Annotated[Path | None, typer.Option(metavar="FILE", help="And this key.")] = None,
    broker_ca: Annotated[
        Path | None, typer.Option(metavar="FILE", help="Who vouches for the broker (PEM).")
    ] = None,
    broker_cert: Annotated[
        Path | None, typer.Option(metavar="FILE", help="Shown to the broker (PEM).")
    ] = None,
    broker_key: Annotated[Path | None, typer.Option(metavar="FILE", help="And its key.")] = None,
    serial: Annotated[
        list[str] | None,
        typer.Option(metavar="PATH[:BAUD][=STATION]", help="Read lines from a serial port."),
    ] = None,
    announce: Annotated[
        str,
        typer.Option(
            metavar="auto|off|all|ADDRESS,…",
            help="Announce the doors by DNS-SD; auto: when they are open to the network.",
        ),
    ] = "auto",
) -> None:
    """Keep the doors open, with no window, until told to stop."""
    from rook_tally.cli.collect import CollectWords, run_collector

    words = CollectWords(
        http, broker, tls_cert, tls_key, broker_ca, broker_cert, broker_key, serial or [], announce
    )
    run_collector(chosen_store(context, store), words)


@app.command()
def demo(
    context: typer.Context,
    store: StoreOption = None,
    headless: Annotated[bool, typer.Option(help="No window; end by itself.")] = False,
    for_s: Annotated[
        float | None, typer.Option("--for", metavar="SECONDS", help="End after so long.")
    ] = None,
    fresh: Annotated[bool, typer.Option(help="Forget the demo's store and make it anew.")] = False,
    days: Annotated[float, typer.Option(min=0.0, max=366.0, help="Days of history.")] = 7.0,
) -> None:
    """Show Fennel Wharf Pottery: history first, then live stations over HTTP and MQTT."""
    from rook_tally.cli.demo import run_demo

    chosen = store if store is not None else context.obj
    raise typer.Exit(run_demo(chosen, headless=headless, for_s=for_s, fresh=fresh, days=days))


@app.command()
def latest(context: typer.Context, as_json: JsonOption = False, store: StoreOption = None) -> None:
    """The newest reading of every series."""
    from rook_tally.cli.latest import print_latest

    print_latest(chosen_store(context, store), as_json=as_json)


@app.command()
def export(
    context: typer.Context,
    station: Annotated[str | None, typer.Option(metavar="KEY")] = None,
    quantity: Annotated[str | None, typer.Option(metavar="SLUG")] = None,
    from_: Annotated[
        str | None,
        typer.Option("--from", metavar="T", help='As "yesterday 9:00", or RFC 3339; included.'),
    ] = None,
    to: Annotated[
        str | None, typer.Option("--to", metavar="T", help="The same; not included.")
    ] = None,
    form: Annotated[
        str, typer.Option("--format", metavar="csv|jsonl|senml|senml-cbor|parquet")
    ] = "csv",
    output: Annotated[Path | None, typer.Option("-o", "--output", metavar="FILE")] = None,
    raw: Annotated[bool, typer.Option(help="As the sensors said it, without corrections.")] = False,
    every: Annotated[
        str, typer.Option(metavar="SPAN", help="Means over such a span, as in 5min.")
    ] = "",
    wide: Annotated[
        bool, typer.Option(help="A column a series in place of a row a reading.")
    ] = False,
    manifest: Annotated[bool, typer.Option(help="What it is, as JSON beside the file.")] = True,
    store: StoreOption = None,
) -> None:
    """Write readings out in an open form; docs/handing-on.md says what each holds."""
    from rook_tally.cli.export import write_export

    write_export(
        chosen_store(context, store),
        station=station,
        quantity=quantity,
        from_=from_,
        to=to,
        form=form,
        output=output,
        raw=raw,
        every=every,
        wide=wide,
        with_manifest=manifest,
    )
