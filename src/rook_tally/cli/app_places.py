"""Commands about places: rooms, beds, yards, machines."""

from __future__ import annotations

from typing import Annotated

import typer

from rook_tally.cli.options import JsonOption, StoreOption, chosen_store

places_app = typer.Typer()
place_app = typer.Typer(help="Places: rooms, beds, yards, machines.", no_args_is_help=True)
places_app.add_typer(place_app, name="place")

NameArgument = Annotated[str, typer.Argument(metavar="NAME", help="What it is called.")]


@place_app.command("list")
def place_list(
    context: typer.Context, as_json: JsonOption = False, store: StoreOption = None
) -> None:
    """All places, each within the one it is in."""
    from rook_tally.cli.places import list_places

    list_places(chosen_store(context, store), as_json=as_json)


@place_app.command("add")
def place_add(
    context: typer.Context,
    name: NameArgument,
    under: Annotated[str, typer.Option(metavar="NAME", help="The place it is in.")] = "",
    outdoors: Annotated[bool, typer.Option("--outdoors", help="It is outdoors.")] = False,
    store: StoreOption = None,
) -> None:
    """Make a place."""
    from rook_tally.cli.places import add

    add(chosen_store(context, store), name, under=under, indoors=not outdoors)


@place_app.command("rename")
def place_rename(
    context: typer.Context,
    old: Annotated[str, typer.Argument(metavar="OLD")],
    new: Annotated[str, typer.Argument(metavar="NEW")],
    store: StoreOption = None,
) -> None:
    """Rename a place, in workings, watches, groups, sheets and remarks as well."""
    from rook_tally.cli.places import rename

    rename(chosen_store(context, store), old, new)


@place_app.command("move")
def place_move(
    context: typer.Context,
    name: NameArgument,
    under: Annotated[
        str, typer.Option(metavar="NAME", help="The place it is in; left out, in none.")
    ] = "",
    store: StoreOption = None,
) -> None:
    """Put a place into another one, or out of it."""
    from rook_tally.cli.places import move

    move(chosen_store(context, store), name, under)


@place_app.command("set")
def place_set(
    context: typer.Context,
    name: NameArgument,
    indoors: Annotated[
        bool, typer.Option("--indoors/--outdoors", help="Which limits hold there by themselves.")
    ],
    store: StoreOption = None,
) -> None:
    """Say whether a place is indoors or outdoors."""
    from rook_tally.cli.places import settle

    settle(chosen_store(context, store), name, indoors=indoors)


@place_app.command("order")
def place_order(
    context: typer.Context,
    names: Annotated[list[str], typer.Argument(metavar="NAME...", help="First to last.")],
    store: StoreOption = None,
) -> None:
    """Let places stand in this order; the others follow as they stood."""
    from rook_tally.cli.places import order

    order(chosen_store(context, store), names)


@place_app.command("merge")
def place_merge(
    context: typer.Context,
    name: NameArgument,
    into: Annotated[str, typer.Argument(metavar="INTO", help="The place that stays.")],
    store: StoreOption = None,
) -> None:
    """Make a place part of another: its stations and all that names it go over."""
    from rook_tally.cli.places import merge

    merge(chosen_store(context, store), name, into)


@place_app.command("remove")
def place_remove(context: typer.Context, name: NameArgument, store: StoreOption = None) -> None:
    """Delete a place that nothing stands at."""
    from rook_tally.cli.places import remove

    remove(chosen_store(context, store), name)
