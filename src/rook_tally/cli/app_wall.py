"""Commands about sheets of the Wall, and about their pages on the network."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from rook_tally.cli.options import JsonOption, StoreOption, chosen_store

wall_app = typer.Typer()
sheets_app = typer.Typer(help="Sheets for a spare screen.", invoke_without_command=True)
page_app = typer.Typer(help="The same sheets on a phone or a tablet.", no_args_is_help=True)
wall_app.add_typer(sheets_app, name="wall")
wall_app.add_typer(page_app, name="page")
read_key_app = typer.Typer(
    help="Keys with which programs of others may read.", no_args_is_help=True
)
wall_app.add_typer(read_key_app, name="read-key")

DeviceArgument = Annotated[str, typer.Argument(metavar="DEVICE", help='As in "Anna\'s phone".')]


@sheets_app.callback()
def wall(
    context: typer.Context,
    sheet: Annotated[str, typer.Option(metavar="NAME", help="Begin with this one.")] = "",
    full_screen: Annotated[
        bool, typer.Option("--full-screen", help="Nothing else; Esc ends it.")
    ] = False,
    screen: Annotated[str, typer.Option(metavar="NAME", help="On this monitor.")] = "",
    store: StoreOption = None,
) -> None:
    """Open the Wall, or show its sheets on a whole screen."""
    if context.invoked_subcommand is not None:
        context.obj = store if store is not None else context.obj
        return
    from rook_tally.cli.desk import run_wall

    raise typer.Exit(
        run_wall(chosen_store(context, store), sheet, full_screen=full_screen, screen=screen)
    )


@sheets_app.command("list")
def wall_list(
    context: typer.Context, as_json: JsonOption = False, store: StoreOption = None
) -> None:
    """Every sheet, in the order they turn."""
    from rook_tally.cli.wall import list_sheets

    list_sheets(chosen_store(context, store), as_json=as_json)


@sheets_app.command("export")
def wall_export(
    context: typer.Context,
    sheet: Annotated[str, typer.Option(metavar="NAME", help="This one only.")] = "",
    store: StoreOption = None,
) -> None:
    """Print sheets as TOML."""
    from rook_tally.cli.wall import export

    export(chosen_store(context, store), sheet)


@sheets_app.command("read")
def wall_read(
    context: typer.Context,
    file: Annotated[Path, typer.Argument(help="A TOML file; see docs/wall.md.")],
    store: StoreOption = None,
) -> None:
    """Keep the sheets of a file; those of the same names are replaced."""
    from rook_tally.cli.wall import read

    read(chosen_store(context, store), file)


@page_app.command("on")
def page_on(
    context: typer.Context,
    address: Annotated[
        str, typer.Option(metavar="HOST:PORT", help="Listen here; 0.0.0.0 is all of this machine.")
    ] = "0.0.0.0:4780",
    name: Annotated[
        list[str] | None,
        typer.Option(metavar="HOST", help="What this machine is called too, as by a proxy."),
    ] = None,
    store: StoreOption = None,
) -> None:
    """Serve the sheets on the local network, to look at only."""
    from rook_tally.cli.page import switch_on

    switch_on(chosen_store(context, store), address, name or ())


@page_app.command("off")
def page_off(context: typer.Context, store: StoreOption = None) -> None:
    """Serve them no longer; links stay good for when they are served again."""
    from rook_tally.cli.page import switch_off

    switch_off(chosen_store(context, store))


@page_app.command("link")
def page_link(context: typer.Context, device: DeviceArgument, store: StoreOption = None) -> None:
    """Make a link for a device; it is printed this once, with its QR code."""
    from rook_tally.cli.page import make_link

    make_link(chosen_store(context, store), device)


@page_app.command("list")
def page_list(
    context: typer.Context, as_json: JsonOption = False, store: StoreOption = None
) -> None:
    """Say whether sheets are served, and list the devices with a link."""
    from rook_tally.cli.page import list_devices

    list_devices(chosen_store(context, store), as_json=as_json)


@page_app.command("revoke")
def page_revoke(context: typer.Context, device: DeviceArgument, store: StoreOption = None) -> None:
    """Let a device in no longer; a page it has open goes blank."""
    from rook_tally.cli.page import revoke

    revoke(chosen_store(context, store), device)


@read_key_app.command("add")
def read_key_add(
    context: typer.Context,
    name: Annotated[str, typer.Argument(metavar="NAME", help="Whose program reads with it.")],
    place: Annotated[
        list[str] | None, typer.Option(metavar="PLACE", help="Only this; may come again.")
    ] = None,
    group: Annotated[
        list[str] | None, typer.Option(metavar="GROUP", help="Only this; may come again.")
    ] = None,
    store: StoreOption = None,
) -> None:
    """Make a read key; it is printed this once."""
    from rook_tally.cli.read_keys import make_key

    make_key(chosen_store(context, store), name, tuple(place or ()), tuple(group or ()))


@read_key_app.command("list")
def read_key_list(
    context: typer.Context, as_json: JsonOption = False, store: StoreOption = None
) -> None:
    """Every read key, what it may read, when it last asked and how much it was given."""
    from rook_tally.cli.read_keys import list_keys

    list_keys(chosen_store(context, store), as_json=as_json)


@read_key_app.command("revoke")
def read_key_revoke(
    context: typer.Context,
    name: Annotated[str, typer.Argument(metavar="NAME")],
    store: StoreOption = None,
) -> None:
    """Let a key read no longer; a stream it has open ends."""
    from rook_tally.cli.read_keys import revoke_key

    revoke_key(chosen_store(context, store), name)
