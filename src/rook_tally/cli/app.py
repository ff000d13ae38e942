"""The command line: names, options and help of every command; what each does is in its module."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from rook_tally import __version__
from rook_tally.core.errors import RookTallyError, UsageError

app = typer.Typer(
    name="rook-tally",
    help="Readings from small networked sensors: taken in, kept and shown on your own machine.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
)
station_app = typer.Typer(help="Stations: the boxes that report.", no_args_is_help=True)
app.add_typer(station_app, name="station")
kind_app = typer.Typer(help="Kinds: what sorts of stations there are.", no_args_is_help=True)
app.add_typer(kind_app, name="kind")
service_app = typer.Typer(help="The collector as a systemd user service.", no_args_is_help=True)
app.add_typer(service_app, name="service")

StoreOption = Annotated[
    str | None,
    typer.Option(
        "--store", metavar="PATH|URL", envvar="ROOK_TALLY_STORE",
        help="Which store, if not the usual one.",
    ),
]  # fmt: skip
JsonOption = Annotated[bool, typer.Option("--json", help="Print one JSON list and nothing else.")]


def main() -> None:
    """Run a command: exit code 0 done, 1 could not, 2 wrong usage."""
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
        bool,
        typer.Option("--version", callback=_print_version, is_eager=True, help="Print it."),
    ] = False,
) -> None:
    context.obj = store


def _store(context: typer.Context, store: str | None) -> str:
    from rook_tally.cli.places import usual_store

    chosen: str | None = store if store is not None else context.obj
    return chosen if chosen is not None else str(usual_store())


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

    where = _store(context, store)
    raise typer.Exit(run_desk(where, collect_too=collect_too, until_painted=until_painted))


@app.command()
def collect(
    context: typer.Context,
    store: StoreOption = None,
    http: Annotated[str, typer.Option(metavar="HOST:PORT")] = "127.0.0.1:4711",
    broker: Annotated[
        str, typer.Option(metavar="builtin:HOST:PORT|mqtt://…|off")
    ] = "builtin:127.0.0.1:4712",
    tls_cert: Annotated[
        Path | None, typer.Option(metavar="FILE", help="Speak HTTPS with this certificate (PEM).")
    ] = None,
    tls_key: Annotated[Path | None, typer.Option(metavar="FILE", help="And this key.")] = None,
    serial: Annotated[
        list[str] | None,
        typer.Option(metavar="PATH[:BAUD][=STATION]", help="Read lines from a serial port."),
    ] = None,
) -> None:
    """Keep the doors open, with no window, until told to stop."""
    from rook_tally.cli.collect import run_collector

    run_collector(
        _store(context, store), http=http, broker=broker, tls_cert=tls_cert, tls_key=tls_key,
        serial=serial or [],
    )  # fmt: skip


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


@station_app.command("add")
def station_add(
    context: typer.Context,
    key: Annotated[str, typer.Argument(help="Its name on the wire.")],
    place: Annotated[str, typer.Option(metavar="NAME", help="Where it stands; made if new.")],
    kind: Annotated[str, typer.Option(help="What sort it is.")] = "plain",
    cadence: Annotated[
        float | None, typer.Option(metavar="SECONDS", min=0.1, help="How often it reports.")
    ] = None,
    outdoors: Annotated[bool, typer.Option(help="A new place is outdoors.")] = False,
    store: StoreOption = None,
) -> None:
    """Add a station; prints its access key, this once, alone on the last line."""
    from rook_tally.cli.station import add

    add(
        _store(context, store), key, place=place, kind=kind, cadence_s=cadence, indoors=not outdoors
    )


@station_app.command("list")
def station_list(
    context: typer.Context, as_json: JsonOption = False, store: StoreOption = None
) -> None:
    """All stations: where they stand, what sort they are, when they were last heard."""
    from rook_tally.cli.station import list_stations

    list_stations(_store(context, store), as_json=as_json)


@station_app.command("key")
def station_key(
    context: typer.Context,
    key: Annotated[str, typer.Argument(help="Its name on the wire.")],
    store: StoreOption = None,
) -> None:
    """Give a station a new access key, shown this once; the old one is worth nothing from now."""
    from rook_tally.cli.station import renew_key

    renew_key(_store(context, store), key)


@station_app.command("sheet")
def station_sheet(
    context: typer.Context,
    key: Annotated[str, typer.Argument(help="Its name on the wire.")],
    http: Annotated[str, typer.Option(metavar="HOST:PORT")] = "127.0.0.1:4711",
    mqtt: Annotated[str, typer.Option(metavar="HOST:PORT")] = "127.0.0.1:4712",
    access_key: Annotated[
        str | None, typer.Option("--key", help="Its access key, to be written into the programs.")
    ] = None,
    sender: Annotated[
        str | None,
        typer.Option(metavar="curl|mosquitto|python|micropython|arduino", help="That alone."),
    ] = None,
    store: StoreOption = None,
) -> None:
    """All it takes to connect a station, and programs that send, ready to run."""
    from rook_tally.cli.sheet import print_sheet

    print_sheet(
        _store(context, store), key, http=http, mqtt=mqtt, access_key=access_key, sender=sender
    )


@station_app.command("show")
def station_show(
    context: typer.Context,
    key: Annotated[str, typer.Argument(help="Its name on the wire.")],
    as_json: JsonOption = False,
    store: StoreOption = None,
) -> None:
    """What a station tells, and what became of it: kept, duplicate, suspect, stray, clock."""
    from rook_tally.cli.station import show

    show(_store(context, store), key, as_json=as_json)


@app.command()
def strays(
    context: typer.Context,
    as_json: JsonOption = False,
    most_mb: Annotated[
        float | None, typer.Option("--keep-mb", min=0.1, help="Keep so many megabytes of them.")
    ] = None,
    most_days: Annotated[
        float, typer.Option("--keep-days", min=0.1, help="And none older; with --keep-mb.")
    ] = 90.0,
    store: StoreOption = None,
) -> None:
    """Who sends and is no station yet, or sends what nobody can place; and what it may be."""
    from rook_tally.cli.strays import bound_strays, print_strays

    if most_mb is not None:
        bound_strays(_store(context, store), most_mb=most_mb, most_days=most_days)
        return
    print_strays(_store(context, store), as_json=as_json)


@app.command()
def adopt(
    context: typer.Context,
    key: Annotated[str, typer.Argument(help="The name it goes by.")],
    place: Annotated[
        str | None, typer.Option(metavar="NAME", help="Where it stands; made if new.")
    ] = None,
    kind: Annotated[str | None, typer.Option(help="What sort it is, if not as proposed.")] = None,
    maps: Annotated[
        list[str] | None,
        typer.Option("--map", metavar="FIELD=QUANTITY[:UNIT]", help="What a field means."),
    ] = None,
    continues: Annotated[
        list[str] | None,
        typer.Option("--continue", metavar="NEW=OLD", help="A field that got another name."),
    ] = None,
    cadence: Annotated[
        float | None, typer.Option(metavar="SECONDS", min=0.1, help="How often it reports.")
    ] = None,
    outdoors: Annotated[bool, typer.Option(help="A new place is outdoors.")] = False,
    store: StoreOption = None,
) -> None:
    """Make a stray sender a station; what it said and was kept becomes readings."""
    from rook_tally.cli.strays import adopt_sender

    adopt_sender(
        _store(context, store), key, place=place, kind=kind, indoors=not outdoors,
        cadence_s=cadence, maps=maps or [], continues=continues or [],
    )  # fmt: skip


@app.command("import")
def import_(
    context: typer.Context,
    file: Annotated[Path | None, typer.Argument(metavar="FILE", help="A CSV file.")] = None,
    station: Annotated[str | None, typer.Option(metavar="KEY", help="Whose readings.")] = None,
    maps: Annotated[
        list[str] | None,
        typer.Option("--map", metavar="COLUMN=QUANTITY[:UNIT]", help="What a column means."),
    ] = None,
    time_column: Annotated[
        str | None, typer.Option("--time", metavar="COLUMN", help="Which holds the time.")
    ] = None,
    zone: Annotated[
        str | None, typer.Option(metavar="NAME", help="Of times without one; the site's if not.")
    ] = None,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Only say what it would do.")] = False,
    undo: Annotated[
        int | None, typer.Option(metavar="N", help="Take back what an import brought.")
    ] = None,
    listed: Annotated[bool, typer.Option("--list", help="Imports that can be taken back.")] = False,
    store: StoreOption = None,
) -> None:
    """Read a CSV file into a station's series; what is there already stays as it is."""
    from rook_tally.cli.import_file import import_file, list_imports, undo_import

    where = _store(context, store)
    if undo is not None:
        undo_import(where, undo)
    elif listed:
        list_imports(where)
    elif file is None or station is None:
        raise UsageError("what is to be read, and whose is it?", remedy="FILE --station KEY")
    else:
        import_file(
            where, file, station, maps=maps or [], time_column=time_column, zone=zone,
            dry_run=dry_run,
        )  # fmt: skip


@app.command()
def tape(
    context: typer.Context,
    key: Annotated[str | None, typer.Argument(help="Of this station only.")] = None,
    most: Annotated[int, typer.Option("-n", "--lines", min=1, max=20_000)] = 20,
    follow: Annotated[bool, typer.Option("-f", "--follow", help="And what comes from now on.")] = (
        False
    ),
    store: StoreOption = None,
) -> None:
    """The last messages as they came, and what became of each."""
    from rook_tally.cli.tape import print_tape

    print_tape(_store(context, store), key, most=most, follow=follow)


@service_app.command("install")
def service_install(
    context: typer.Context,
    http: Annotated[str, typer.Option(metavar="HOST:PORT")] = "127.0.0.1:4711",
    broker: Annotated[str, typer.Option(metavar="builtin:HOST:PORT|mqtt://…|off")] = (
        "builtin:127.0.0.1:4712"
    ),
    serial: Annotated[list[str] | None, typer.Option(metavar="PATH[:BAUD][=STATION]")] = None,
    store: StoreOption = None,
) -> None:
    """Keep the collector running with no desk, from every login on."""
    from rook_tally.cli.service import install

    words = ["--http", http, "--broker", broker]
    for port in serial or []:
        words += ["--serial", port]
    install(_store(context, store), words)


@service_app.command("remove")
def service_remove() -> None:
    """Stop that, and take the unit away."""
    from rook_tally.cli.service import remove

    remove()


@service_app.command("status")
def service_status() -> None:
    """Whether it is installed, and runs."""
    from rook_tally.cli.service import status

    raise typer.Exit(status())


@kind_app.command("list")
def kind_list(context: typer.Context, store: StoreOption = None) -> None:
    """All kinds with their fields."""
    from rook_tally.cli.kinds import list_kinds

    list_kinds(_store(context, store))


@kind_app.command("export")
def kind_export(
    context: typer.Context,
    slug: Annotated[str, typer.Argument()],
    store: StoreOption = None,
) -> None:
    """Print a kind as TOML, to hand on or to make one's own of."""
    from rook_tally.cli.kinds import export_kind

    export_kind(_store(context, store), slug)


@kind_app.command("read")
def kind_read(
    context: typer.Context,
    file: Annotated[Path, typer.Argument(metavar="FILE")],
    store: StoreOption = None,
) -> None:
    """Keep the kind a TOML file describes, in place of one of the same slug."""
    from rook_tally.cli.kinds import read_kind

    read_kind(_store(context, store), file)


@app.command()
def latest(context: typer.Context, as_json: JsonOption = False, store: StoreOption = None) -> None:
    """The newest reading of every series."""
    from rook_tally.cli.latest import print_latest

    print_latest(_store(context, store), as_json=as_json)


@app.command()
def export(
    context: typer.Context,
    station: Annotated[str | None, typer.Option(metavar="KEY")] = None,
    quantity: Annotated[str | None, typer.Option(metavar="SLUG")] = None,
    from_: Annotated[
        str | None, typer.Option("--from", metavar="T", help="RFC 3339 or a date; included.")
    ] = None,
    to: Annotated[
        str | None, typer.Option("--to", metavar="T", help="RFC 3339 or a date; not included.")
    ] = None,
    form: Annotated[str, typer.Option("--format", metavar="csv")] = "csv",
    output: Annotated[Path | None, typer.Option("-o", "--output", metavar="FILE")] = None,
    raw: Annotated[bool, typer.Option(help="As the sensors said it, without corrections.")] = False,
    store: StoreOption = None,
) -> None:
    """Write readings out as CSV."""
    from rook_tally.cli.export import write_export

    write_export(
        _store(context, store),
        station=station, quantity=quantity, from_=from_, to=to, form=form, output=output,
        raw=raw,
    )  # fmt: skip


@app.command()
def backup(
    context: typer.Context,
    file: Annotated[Path, typer.Argument(metavar="FILE")],
    store: StoreOption = None,
) -> None:
    """Copy the store to a file while it is in use."""
    from rook_tally.cli.care import write_backup

    write_backup(_store(context, store), file)


@app.command()
def restore(
    context: typer.Context,
    file: Annotated[Path, typer.Argument(metavar="FILE")],
    store: StoreOption = None,
) -> None:
    """Put a backup in the place of the store; what was there is kept beside it."""
    from rook_tally.cli.care import put_back

    put_back(_store(context, store), file)


@app.command()
def check(context: typer.Context, store: StoreOption = None) -> None:
    """Look the store over: every page's checksum and sums, and what is damaged."""
    from rook_tally.cli.care import check as look

    raise typer.Exit(look(_store(context, store)))


@app.command()
def compact(context: typer.Context, store: StoreOption = None) -> None:
    """Give free space in the store's file back to the disk."""
    from rook_tally.cli.care import make_small

    make_small(_store(context, store))


@app.command()
def thin(
    context: typer.Context,
    older_than: Annotated[
        float | None,
        typer.Option(metavar="DAYS", min=3.0, help="Only days that ended before that."),
    ] = None,
    station: Annotated[str | None, typer.Option(metavar="KEY")] = None,
    quantity: Annotated[str | None, typer.Option(metavar="SLUG")] = None,
    remove: Annotated[
        bool, typer.Option("--remove", help="Really do it, after a backup beside the store.")
    ] = False,
    always: Annotated[
        bool, typer.Option("--always", help="Have the collector do so from now on, every day.")
    ] = False,
    never: Annotated[bool, typer.Option("--never", help="Have it stop doing so.")] = False,
    store: StoreOption = None,
) -> None:
    """Give up old readings for space; says what that would remove, and removes nothing by itself.

    The lowest and the highest reading of every five minutes stay, and so do all summaries.
    """
    from rook_tally.cli.thin import Wish, thin_store

    if remove + always + never > 1:
        raise UsageError("--remove, --always and --never exclude each other", remedy="give one")
    wish = Wish.REMOVE if remove else Wish.ALWAYS if always else Wish.NEVER if never else Wish.COUNT
    days = None if never else older_than
    thin_store(_store(context, store), days, station=station, quantity=quantity, wish=wish)


@app.command()
def shots(
    directory: Annotated[Path, typer.Argument(metavar="DIR")] = Path("docs/screenshots"),
) -> None:
    """Take the current pictures of the main views, from the demo data at a fixed moment."""
    from rook_tally.cli.shots import take_shots

    take_shots(directory)


@app.command()
def bench(
    names: Annotated[list[str] | None, typer.Argument(metavar="[NAME…]")] = None,
    as_json: JsonOption = False,
) -> None:
    """Measure the speeds we promise, each beside its limit in the same run."""
    from rook_tally.cli.bench import run_benches

    run_benches(names or [], as_json=as_json)
