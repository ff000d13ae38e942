"""Commands that take care: of the store, and of the collector that runs by itself."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from rook_tally.cli.options import StoreOption, chosen_store
from rook_tally.core.errors import UsageError

care_app = typer.Typer()
service_app = typer.Typer(help="The collector as a systemd user service.", no_args_is_help=True)
care_app.add_typer(service_app, name="service")


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
    install(chosen_store(context, store), words)


@service_app.command("remove")
def service_remove() -> None:
    """Stop that, and take the unit away."""
    from rook_tally.cli.service import remove

    remove()


@service_app.command("status")
def service_status() -> None:
    """Say whether it is installed, and runs."""
    from rook_tally.cli.service import status

    raise typer.Exit(status())


@care_app.command()
def backup(
    context: typer.Context,
    file: Annotated[Path | None, typer.Argument(metavar="FILE")] = None,
    daily: Annotated[
        str | None,
        typer.Option(metavar="FOLDER|off", help="From now on a copy a day into this folder."),
    ] = None,
    store: StoreOption = None,
) -> None:
    """Copy the store while it is in use, now or every day; alone: how the last copy went."""
    from rook_tally.cli.maintenance import print_backups, schedule_backups, write_backup

    where = chosen_store(context, store)
    if daily is not None:
        schedule_backups(where, daily)
    if file is not None:
        write_backup(where, file)
    elif daily is None:
        print_backups(where)


@care_app.command()
def restore(
    context: typer.Context,
    file: Annotated[Path, typer.Argument(metavar="FILE")],
    store: StoreOption = None,
) -> None:
    """Put a backup in the place of the store; what was there is kept beside it."""
    from rook_tally.cli.maintenance import put_back

    put_back(chosen_store(context, store), file)


@care_app.command()
def check(
    context: typer.Context,
    mend: Annotated[
        bool, typer.Option("--mend", help="Set readings of times to come aside, as strays.")
    ] = False,
    store: StoreOption = None,
) -> None:
    """Look the store over: every page's checksum and sums, and what is damaged."""
    from rook_tally.cli.maintenance import check as look

    raise typer.Exit(look(chosen_store(context, store), mend=mend))


@care_app.command()
def compact(context: typer.Context, store: StoreOption = None) -> None:
    """Give free space in the store's file back to the disk."""
    from rook_tally.cli.maintenance import make_small

    make_small(chosen_store(context, store))


@care_app.command()
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
    thin_store(chosen_store(context, store), days, station=station, quantity=quantity, wish=wish)


desktop_app = typer.Typer(help="The desktop's menu entry, icon and man page.", no_args_is_help=True)
care_app.add_typer(desktop_app, name="desktop")


@desktop_app.command("install")
def desktop_install() -> None:
    """Put Rook Tally into this user's menu."""
    from rook_tally.cli.desktop import install

    install()


@desktop_app.command("remove")
def desktop_remove() -> None:
    """Take it out again."""
    from rook_tally.cli.desktop import remove

    remove()
