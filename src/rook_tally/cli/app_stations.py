"""Commands about stations: who they are, who is astray, what they said, what sorts there are."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from rook_tally.cli.app_station_lives import station_lives_app
from rook_tally.cli.options import JsonOption, StoreOption, chosen_store
from rook_tally.core.errors import UsageError

stations_app = typer.Typer()
station_app = typer.Typer(help="Stations: the boxes that report.", no_args_is_help=True)
stations_app.add_typer(station_app, name="station")
station_app.add_typer(station_lives_app)
kind_app = typer.Typer(help="Kinds: what sorts of stations there are.", no_args_is_help=True)
stations_app.add_typer(kind_app, name="kind")


@station_app.command("add")
def station_add(
    context: typer.Context,
    key: Annotated[str, typer.Argument(help="Station ID: what it sends under.")],
    place: Annotated[str, typer.Option(metavar="NAME", help="Place; made if new.")],
    kind: Annotated[str, typer.Option(help="Kind of station.")] = "plain",
    cadence: Annotated[
        float | None, typer.Option(metavar="SECONDS", min=0.1, help="How often it reports.")
    ] = None,
    outdoors: Annotated[bool, typer.Option(help="A new place is outdoors.")] = False,
    store: StoreOption = None,
) -> None:
    """Add a station; prints its access key, this once, alone on the last line."""
    from rook_tally.cli.station import add

    add(
        chosen_store(context, store),
        key,
        place=place,
        kind=kind,
        cadence_s=cadence,
        indoors=not outdoors,
    )


@station_app.command("list")
def station_list(
    context: typer.Context,
    removed: Annotated[
        bool, typer.Option("--removed", help="Those that were removed and can be restored.")
    ] = False,
    as_json: JsonOption = False,
    store: StoreOption = None,
) -> None:
    """All stations: where they stand, what sort they are, when they were last heard."""
    from rook_tally.cli.station import list_removed, list_stations

    tell = list_removed if removed else list_stations
    tell(chosen_store(context, store), as_json=as_json)


@station_app.command("set")
def station_set(
    context: typer.Context,
    key: Annotated[str, typer.Argument(help="Station ID: what it sends under.")],
    place: Annotated[
        str | None, typer.Option(metavar="NAME", help="Where it stands; made if new.")
    ] = None,
    since: Annotated[
        str | None,
        typer.Option(
            "--from",
            metavar="TIME",
            help="Since when it stands there; earlier readings stay with the old place.",
        ),
    ] = None,
    kind: Annotated[str | None, typer.Option(help="Kind of station.")] = None,
    cadence: Annotated[
        float | None, typer.Option(metavar="SECONDS", min=0.1, help="How often it reports.")
    ] = None,
    notes: Annotated[
        str | None, typer.Option(metavar="TEXT", help="What is to be known of it.")
    ] = None,
    position: Annotated[
        str | None, typer.Option(metavar="LAT,LON", help="Where it stands, in degrees.")
    ] = None,
    store: StoreOption = None,
) -> None:
    """Move a station, with all its past or from a moment on, make it another kind, say how often it
    reports, or write down what is to be known of it."""
    from rook_tally.cli.station import settle

    where = chosen_store(context, store)
    if since is not None:
        from rook_tally.cli.station_lives import move

        if place is None:
            raise UsageError("--from says since when it stands at --place", remedy="give both")
        move(where, key, place, since)
        if all(one is None for one in (kind, cadence, notes, position)):
            return
        place = None
    settle(where, key, place=place, kind=kind, cadence_s=cadence, notes=notes, position=position)


@station_app.command("key")
def station_key(
    context: typer.Context,
    key: Annotated[str, typer.Argument(help="Station ID: what it sends under.")],
    store: StoreOption = None,
) -> None:
    """Give a station a new access key, shown this once; the old one is worth nothing from now."""
    from rook_tally.cli.station import renew_key

    renew_key(chosen_store(context, store), key)


@station_app.command("sheet")
def station_sheet(
    context: typer.Context,
    key: Annotated[str, typer.Argument(help="Station ID: what it sends under.")],
    http: Annotated[
        str | None, typer.Option(metavar="HOST:PORT", help="Not where the collector is now.")
    ] = None,
    mqtt: Annotated[
        str | None, typer.Option(metavar="HOST:PORT", help="Not where its broker is now.")
    ] = None,
    access_key: Annotated[
        str | None, typer.Option("--key", help="Its access key, to be written into the programs.")
    ] = None,
    sender: Annotated[
        str | None,
        typer.Option(metavar="curl|mosquitto|python|micropython|arduino", help="That alone."),
    ] = None,
    into: Annotated[
        Path | None,
        typer.Option(metavar="FOLDER", help="Write it into files there, as its tools expect them."),
    ] = None,
    store: StoreOption = None,
) -> None:
    """All it takes to connect a station, and programs that send, ready to run."""
    from rook_tally.cli.sheet import print_sheet

    print_sheet(
        chosen_store(context, store),
        key,
        http=http,
        mqtt=mqtt,
        access_key=access_key,
        sender=sender,
        into=into,
    )


@station_app.command("thing")
def station_thing(
    context: typer.Context,
    key: Annotated[str, typer.Argument(help="Station ID: what it sends under.")],
    http: Annotated[
        str | None, typer.Option(metavar="HOST:PORT", help="Not where the collector is now.")
    ] = None,
    mqtt: Annotated[
        str | None, typer.Option(metavar="HOST:PORT", help="Not where its broker is now.")
    ] = None,
    store: StoreOption = None,
) -> None:
    """Print a station as a W3C Thing Description: how programs read and set it."""
    from rook_tally.cli.thing import print_thing

    print_thing(chosen_store(context, store), key, http=http, mqtt=mqtt)


@station_app.command("power")
def station_power(
    context: typer.Context,
    key: Annotated[str | None, typer.Argument(help="Of this station alone.")] = None,
    as_json: JsonOption = False,
    store: StoreOption = None,
) -> None:
    """Tell how long batteries last, how much of that sending takes, what other cadences give."""
    from rook_tally.cli.power import print_power

    print_power(chosen_store(context, store), key, as_json=as_json)


@station_app.command("show")
def station_show(
    context: typer.Context,
    key: Annotated[str, typer.Argument(help="Station ID: what it sends under.")],
    as_json: JsonOption = False,
    store: StoreOption = None,
) -> None:
    """Show a station: its fields, controls, and counts of kept, duplicate, suspect and stray
    values."""
    from rook_tally.cli.station import show

    show(chosen_store(context, store), key, as_json=as_json)


strays_app = typer.Typer(
    help="Who sends and is no station yet, or sends what nobody can place; and what it may be.",
    invoke_without_command=True,
)
stations_app.add_typer(strays_app, name="strays")


@strays_app.callback()
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
    context.obj = chosen_store(context, store)
    if context.invoked_subcommand is not None:
        return
    from rook_tally.cli.strays import bound_strays, print_strays

    if most_mb is not None:
        bound_strays(context.obj, most_mb=most_mb, most_days=most_days)
        return
    print_strays(context.obj, as_json=as_json)


@strays_app.command("drop")
def strays_drop(
    context: typer.Context,
    sender: Annotated[
        str | None, typer.Argument(metavar="SENDER", help="What the list calls it.")
    ] = None,
    unnamed: Annotated[
        bool, typer.Option("--unnamed", help="What came without a sender's name.")
    ] = False,
    store: StoreOption = None,
) -> None:
    """Drop what a sender has sent astray."""
    from rook_tally.cli.strays import drop

    drop(chosen_store(context, store), sender, unnamed=unnamed)


# What it was called before: scripts go on working.
@stations_app.command("adopt", hidden=True)
@stations_app.command()
def take_in(
    context: typer.Context,
    key: Annotated[str, typer.Argument(help="The name it goes by.")],
    place: Annotated[str | None, typer.Option(metavar="NAME", help="Place; made if new.")] = None,
    kind: Annotated[str | None, typer.Option(help="Kind of station, if not as proposed.")] = None,
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
    unnamed_from: Annotated[
        str | None,
        typer.Option(
            "--unnamed-from",
            metavar="ADDRESS",
            help="What came from there without a name, under this new one; all for anywhere.",
        ),
    ] = None,
    store: StoreOption = None,
) -> None:
    """Make a stray sender a station; what it said and was kept becomes readings."""
    from rook_tally.cli.strays import take_in_sender

    take_in_sender(
        chosen_store(context, store),
        key,
        place=place,
        kind=kind,
        indoors=not outdoors,
        cadence_s=cadence,
        maps=maps or [],
        continues=continues or [],
        unnamed_from=unnamed_from,
    )


@stations_app.command("import")
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
    dates: Annotated[
        str | None,
        typer.Option(metavar="day-first|month-first", help="What stands first in 11/05/2026."),
    ] = None,
    numbers: Annotated[
        str | None, typer.Option(metavar="1,234.5|1.234,5", help="How its numbers are written.")
    ] = None,
    skip: Annotated[
        int | None,
        typer.Option(metavar="N", min=0, help="Lines above its header; else it is looked for."),
    ] = None,
    station_column: Annotated[
        str | None, typer.Option(metavar="COLUMN", help="Which names the station of each row.")
    ] = None,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Only say what it would do.")] = False,
    undo: Annotated[
        int | None, typer.Option(metavar="N", help="Take back what an import brought.")
    ] = None,
    listed: Annotated[bool, typer.Option("--list", help="Imports that can be taken back.")] = False,
    store: StoreOption = None,
) -> None:
    """Read a CSV file into a station's series; what is there already stays as it is."""
    from rook_tally.cli.import_file import (
        date_order,
        import_file,
        list_imports,
        number_style,
        undo_import,
    )

    where = chosen_store(context, store)
    if undo is not None:
        undo_import(where, undo)
    elif listed:
        list_imports(where)
    elif file is None:
        raise UsageError("what is to be read?", remedy="FILE --station KEY")
    else:
        import_file(
            where,
            file,
            station,
            maps=maps or [],
            time_column=time_column,
            zone=zone,
            dry_run=dry_run,
            dates=date_order(dates),
            skip=skip,
            numbers=number_style(numbers),
            station_column=station_column,
        )


@stations_app.command()
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

    print_tape(chosen_store(context, store), key, most=most, follow=follow)


@kind_app.command("list")
def kind_list(context: typer.Context, store: StoreOption = None) -> None:
    """All kinds with their fields."""
    from rook_tally.cli.kinds import list_kinds

    list_kinds(chosen_store(context, store))


@kind_app.command("export")
def kind_export(
    context: typer.Context,
    slug: Annotated[str, typer.Argument()],
    as_thing: Annotated[
        bool, typer.Option("--thing", help="As a W3C Thing Model (TD 1.1), in JSON.")
    ] = False,
    store: StoreOption = None,
) -> None:
    """Print a kind as TOML, to hand on or to make one's own of."""
    from rook_tally.cli.kinds import export_kind

    export_kind(chosen_store(context, store), slug, as_thing=as_thing)


@kind_app.command("try")
def kind_try(
    context: typer.Context,
    slug: Annotated[str, typer.Argument(help="The kind; - with --file.")],
    messages: Annotated[
        list[str] | None,
        typer.Argument(metavar="[MESSAGE]...", help="As text; bytes as hexadecimal."),
    ] = None,
    file: Annotated[
        Path | None, typer.Option(metavar="FILE", help="A kind that is not read yet.")
    ] = None,
    station: Annotated[str, typer.Option(metavar="ID", help="The last messages of it.")] = "",
    store: StoreOption = None,
) -> None:
    """Show what a kind's layout of bytes or shape of JSON reads in messages; nothing is kept."""
    from rook_tally.cli.kinds import try_kind

    try_kind(chosen_store(context, store), slug, messages or [], file=file, station=station)


@kind_app.command("read")
def kind_read(
    context: typer.Context,
    file: Annotated[Path, typer.Argument(metavar="FILE")],
    store: StoreOption = None,
) -> None:
    """Keep the kind that a file describes, TOML or a W3C Thing Description, in place of one of the
    same slug."""
    from rook_tally.cli.kinds import read_kind

    read_kind(chosen_store(context, store), file)
