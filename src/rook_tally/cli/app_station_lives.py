"""Commands about what becomes of stations: other keys and boxes, out of use, removed."""

from __future__ import annotations

from typing import Annotated

import typer

from rook_tally.cli.options import StoreOption, chosen_store

station_lives_app = typer.Typer()
KeyArgument = Annotated[str, typer.Argument(metavar="KEY", help="Station ID: what it sends under.")]


@station_lives_app.command("rename")
def station_rename(
    context: typer.Context,
    old: Annotated[str, typer.Argument(metavar="OLD")],
    new: Annotated[str, typer.Argument(metavar="NEW")],
    store: StoreOption = None,
) -> None:
    """Let a station go by another key, wherever it is named; the old one is still taken in."""
    from rook_tally.cli.station_lives import rename

    rename(chosen_store(context, store), old, new)


@station_lives_app.command("forget")
def station_forget(
    context: typer.Context,
    name: Annotated[str, typer.Argument(metavar="NAME", help="A key it had before.")],
    store: StoreOption = None,
) -> None:
    """Take in nothing any more under a key that a station had before."""
    from rook_tally.cli.station_lives import forget

    forget(chosen_store(context, store), name)


@station_lives_app.command("replace")
def station_replace(
    context: typer.Context,
    old: Annotated[str, typer.Argument(metavar="OLD")],
    new: Annotated[
        str, typer.Argument(metavar="NEW", help="The new box; what it has told joins the series.")
    ],
    store: StoreOption = None,
) -> None:
    """Let a new box take the place of one: its series go on, corrections end, a remark says so."""
    from rook_tally.cli.station_lives import replace

    replace(chosen_store(context, store), old, new)


@station_lives_app.command("retire")
def station_retire(context: typer.Context, key: KeyArgument, store: StoreOption = None) -> None:
    """Take a station out of use: nothing is expected of it, its readings stay."""
    from rook_tally.cli.station_lives import retire

    retire(chosen_store(context, store), key)


@station_lives_app.command("use")
def station_use(context: typer.Context, key: KeyArgument, store: StoreOption = None) -> None:
    """Put a station into use again."""
    from rook_tally.cli.station_lives import use

    use(chosen_store(context, store), key)


@station_lives_app.command("maintain")
def station_maintain(
    context: typer.Context,
    key: KeyArgument,
    until: Annotated[
        str,
        typer.Option(metavar="TIME", help='Until when: "2 h", "17:30", "friday 9:00", 2026-08-12.'),
    ] = "",
    end: Annotated[bool, typer.Option("--end", help="It is done: expect readings again.")] = False,
    store: StoreOption = None,
) -> None:
    """Put a station under maintenance: until then it is not late, and no watch rings for it."""
    from rook_tally.cli.station_lives import maintain

    maintain(chosen_store(context, store), key, until, is_end=end)


@station_lives_app.command("remove")
def station_remove(context: typer.Context, key: KeyArgument, store: StoreOption = None) -> None:
    """Remove a station with its readings; for a month it can be had back."""
    from rook_tally.cli.station_lives import remove

    remove(chosen_store(context, store), key)


@station_lives_app.command("restore")
def station_restore(context: typer.Context, key: KeyArgument, store: StoreOption = None) -> None:
    """Have a station back that was removed in the last month."""
    from rook_tally.cli.station_lives import restore

    restore(chosen_store(context, store), key)
