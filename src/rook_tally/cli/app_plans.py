"""Commands about plans: pictures of floors, and where stations hang on them."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from rook_tally.cli.options import JsonOption, StoreOption, chosen_store

plans_app = typer.Typer()
plan_app = typer.Typer(help="Plans: pictures of floors or of the plot, with stations on them.")
plans_app.add_typer(plan_app, name="plan")
NameArgument = Annotated[str, typer.Argument(metavar="NAME", help='Such as "Ground floor".')]
StationArgument = Annotated[str, typer.Argument(metavar="STATION")]
PlanOption = Annotated[str, typer.Option("--plan", metavar="NAME", help="On this plan.")]


@plan_app.command("list")
def plan_list(
    context: typer.Context, as_json: JsonOption = False, store: StoreOption = None
) -> None:
    """The plans, and what hangs on each where."""
    from rook_tally.cli.plans import list_plans

    list_plans(chosen_store(context, store), as_json=as_json)


@plan_app.command("put")
def plan_put(
    context: typer.Context,
    name: NameArgument,
    file: Annotated[Path, typer.Argument(metavar="FILE", help="PNG, JPEG or SVG.")],
    store: StoreOption = None,
) -> None:
    """Make a plan of a picture, or give one another picture; what hangs on it stays."""
    from rook_tally.cli.plans import put

    put(chosen_store(context, store), name, file)


@plan_app.command("rename")
def plan_rename(
    context: typer.Context,
    old: Annotated[str, typer.Argument(metavar="OLD")],
    new: Annotated[str, typer.Argument(metavar="NEW")],
    store: StoreOption = None,
) -> None:
    """Call a plan otherwise."""
    from rook_tally.cli.plans import rename

    rename(chosen_store(context, store), old, new)


@plan_app.command("remove")
def plan_remove(context: typer.Context, name: NameArgument, store: StoreOption = None) -> None:
    """Remove a plan; the stations on it stay."""
    from rook_tally.cli.plans import remove

    remove(chosen_store(context, store), name)


@plan_app.command("hang")
def plan_hang(
    context: typer.Context,
    station: StationArgument,
    plan: PlanOption,
    at: Annotated[
        str, typer.Option(metavar="X,Y", help="Shares of width and height, such as 0.25,0.6.")
    ],
    store: StoreOption = None,
) -> None:
    """Let a station hang somewhere on a plan."""
    from rook_tally.cli.plans import hang_station

    hang_station(chosen_store(context, store), station, plan, at)


@plan_app.command("unhang")
def plan_unhang(
    context: typer.Context, station: StationArgument, plan: PlanOption, store: StoreOption = None
) -> None:
    """Take a station off a plan."""
    from rook_tally.cli.plans import unhang_station

    unhang_station(chosen_store(context, store), station, plan)


@plan_app.command("where")
def plan_where(
    context: typer.Context,
    station: StationArgument,
    words: Annotated[str, typer.Argument(metavar="WORDS", help='Such as "left wall, 1.6 m up".')],
    photograph: Annotated[Path | None, typer.Option(metavar="FILE", help="Of that.")] = None,
    store: StoreOption = None,
) -> None:
    """Say where a station hangs, with a photograph."""
    from rook_tally.cli.plans import say_where

    say_where(chosen_store(context, store), station, words, photograph)
