"""Commands about workings: what is worked out, tried on the command line, handed on as a file."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from rook_tally.cli.options import JsonOption, StoreOption, chosen_store

workings_app = typer.Typer()
working_app = typer.Typer(help="Workings: what is worked out.", no_args_is_help=True)
workings_app.add_typer(working_app, name="working")


@working_app.command("list")
def working_list(
    context: typer.Context, as_json: JsonOption = False, store: StoreOption = None
) -> None:
    """Formulas and scores, where they are made, what they come to now."""
    from rook_tally.cli.workings import list_workings

    list_workings(chosen_store(context, store), as_json=as_json)


@working_app.command("add")
def working_add(
    context: typer.Context,
    name: Annotated[str, typer.Argument(help="Its name, as shown.")],
    formula: Annotated[str, typer.Argument(help="As in docs/workings.md.")],
    each_place: Annotated[
        bool, typer.Option(help="Made for each place that has what it wants; @here is the place.")
    ] = False,
    group: Annotated[
        str, typer.Option(metavar="NAME", help="For each place of this group only.")
    ] = "",
    store: StoreOption = None,
) -> None:
    """Work something out from now on, and over all that was kept."""
    from rook_tally.cli.workings import add

    where = chosen_store(context, store)
    add(where, name, formula, each_place=each_place or bool(group), group=group)


@working_app.command("set")
def working_set(
    context: typer.Context,
    slug: Annotated[str, typer.Argument(metavar="NAME", help="What formulas call it.")],
    name: Annotated[str | None, typer.Option(metavar="WORDS", help="Its name, as shown.")] = None,
    formula: Annotated[
        str | None, typer.Option(metavar="TEXT", help="As in docs/workings.md.")
    ] = None,
    decimals: Annotated[
        str | None, typer.Option(metavar="N", help="Shown; '' for what its unit usually has.")
    ] = None,
    store: StoreOption = None,
) -> None:
    """Alter a working; its limits are set with `limit set NAME`."""
    from rook_tally.cli.workings import alter

    alter(chosen_store(context, store), slug, name=name, formula=formula, decimals=decimals)


@working_app.command("try")
def working_try(
    context: typer.Context,
    formula: Annotated[str, typer.Argument(help="As in docs/workings.md.")],
    last: Annotated[str, typer.Option(metavar="SPAN", help="Over this last while.")] = "1 h",
    store: StoreOption = None,
) -> None:
    """Print what a formula comes to, moment by moment, as CSV; nothing is kept."""
    from rook_tally.cli.workings import try_out

    try_out(chosen_store(context, store), formula, last=last)


@working_app.command("remove")
def working_remove(
    context: typer.Context,
    name: Annotated[str, typer.Argument(help="What formulas call it.")],
    store: StoreOption = None,
) -> None:
    """Take a working away with what it gave; what sensors said stays."""
    from rook_tally.cli.workings import remove

    remove(chosen_store(context, store), name)


@working_app.command("export")
def working_export(context: typer.Context, store: StoreOption = None) -> None:
    """Print all workings and groups as JSON, to be read elsewhere."""
    from rook_tally.cli.workings import export

    export(chosen_store(context, store))


@working_app.command("read")
def working_read(
    context: typer.Context,
    file: Annotated[Path, typer.Argument(help="What `export` printed.")],
    store: StoreOption = None,
) -> None:
    """Keep the workings and groups of a file; those of the same names are replaced."""
    from rook_tally.cli.workings import read

    read(chosen_store(context, store), file)


group_app = typer.Typer(help="Groups: named sets of places.", no_args_is_help=True)
workings_app.add_typer(group_app, name="group")


@group_app.command("list")
def group_list(
    context: typer.Context, as_json: JsonOption = False, store: StoreOption = None
) -> None:
    """Every group and what is in it."""
    from rook_tally.cli.groups import list_groups

    list_groups(chosen_store(context, store), as_json=as_json)


@group_app.command("set")
def group_set(
    context: typer.Context,
    name: Annotated[str, typer.Argument(metavar="NAME", help="What it is called.")],
    places: Annotated[list[str], typer.Argument(metavar="PLACE...", help="What is in it.")],
    store: StoreOption = None,
) -> None:
    """Make a group of places, or say what is in one from now on."""
    from rook_tally.cli.groups import set_group

    set_group(chosen_store(context, store), name, places)


@group_app.command("remove")
def group_remove(
    context: typer.Context,
    name: Annotated[str, typer.Argument(metavar="NAME")],
    store: StoreOption = None,
) -> None:
    """Delete a group; its places stay."""
    from rook_tally.cli.groups import remove

    remove(chosen_store(context, store), name)
