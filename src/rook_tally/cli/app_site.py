"""Commands about the site as a whole: its name and its time zone."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from rook_tally.cli.options import JsonOption, StoreOption, YesOption, chosen_store
from rook_tally.core.access_policy import KeysWanted, PasswordsAt
from rook_tally.core.moment_words import ClockStyle, DateStyle
from rook_tally.core.quantities.unit_systems import UnitSystem
from rook_tally.core.site_file.content import SitePart
from rook_tally.core.site_settings import DecimalMark, TimeGrain, Weekday

sites_app = typer.Typer()
site_app = typer.Typer(help="The site: its name and its time zone.", invoke_without_command=True)
sites_app.add_typer(site_app, name="site")


@site_app.callback()
def site(context: typer.Context, as_json: JsonOption = False, store: StoreOption = None) -> None:
    """Name and time zone of the site."""
    context.obj = chosen_store(context, store)
    if context.invoked_subcommand is None:
        from rook_tally.cli.site import print_site

        print_site(context.obj, as_json=as_json)


@site_app.command("set")
def site_set(
    context: typer.Context,
    name: Annotated[str | None, typer.Option(metavar="NAME", help="What it is called.")] = None,
    zone: Annotated[str | None, typer.Option(metavar="ZONE", help="Such as Europe/London.")] = None,
    keys: Annotated[
        KeysWanted | None, typer.Option(help="Whom an access key is wanted from.")
    ] = None,
    passwords: Annotated[
        PasswordsAt | None,
        typer.Option(help="Where passwords of mail servers and secrets of webhooks are kept."),
    ] = None,
    units: Annotated[
        UnitSystem | None, typer.Option(help="Show every quantity in the units of a system.")
    ] = None,
    position: Annotated[
        str | None,
        typer.Option(metavar="LAT,LON", help="In degrees, such as 50.35,-4.14; empty for none."),
    ] = None,
    height: Annotated[float | None, typer.Option(metavar="METRES", help="Above the sea.")] = None,
    quiet: Annotated[
        str | None,
        typer.Option(metavar="HOURS", help="Quiet hours, such as 22:00-06:00; always for none."),
    ] = None,
    week_begins: Annotated[
        Weekday | None, typer.Option(help="The day with which weeks begin.")
    ] = None,
    decimals: Annotated[
        DecimalMark | None, typer.Option(help="The sign before decimals in windows.")
    ] = None,
    dates: Annotated[DateStyle | None, typer.Option(help="How windows write dates.")] = None,
    clocks: Annotated[ClockStyle | None, typer.Option(help="How windows show clocks.")] = None,
    language: Annotated[
        str | None, typer.Option(metavar="CODE", help="Of windows; empty for the desktop's.")
    ] = None,
    times: Annotated[
        TimeGrain | None,
        typer.Option(
            help="How finely times of readings are kept. To the millisecond takes half the room or "
            "less; two readings of a sensor within one become one."
        ),
    ] = None,
    store: StoreOption = None,
) -> None:
    """Change the name, the time zone, the position, the units, quiet hours, who needs an access
    key, or where passwords are kept; all of it holds at once."""
    from rook_tally.cli.site import WritingStyle, change_site

    change_site(
        chosen_store(context, store),
        name=name,
        zone=zone,
        keys=keys,
        passwords=passwords,
        units=units,
        position=position,
        height_m=height,
        quiet=quiet,
        style=WritingStyle(week_begins, decimals, dates, clocks, language),
        times=times,
    )


OnlyOption = Annotated[
    list[SitePart] | None,
    typer.Option("--only", metavar="PART", help="One part alone, such as watch; several times."),
]


@site_app.command("export")
def site_export(
    context: typer.Context,
    target: Annotated[
        Path | None,
        typer.Option("-o", "--output", metavar="FILE", help="Into this file, whose comments stay."),
    ] = None,
    only: OnlyOption = None,
    secrets: Annotated[
        bool, typer.Option("--secrets", help="With passwords and hashes of access keys.")
    ] = False,
    store: StoreOption = None,
) -> None:
    """Write everything that is configured as a site file."""
    from rook_tally.cli.site_file import export

    export(chosen_store(context, store), target, only or [], secrets=secrets)


FileArgument = Annotated[
    str, typer.Argument(metavar="FILE", help="A site file, or the name of a ready-made one.")
]


@site_app.command("plan")
def site_plan(
    context: typer.Context,
    file: FileArgument,
    only: OnlyOption = None,
    as_json: JsonOption = False,
    store: StoreOption = None,
) -> None:
    """Say what reading a site file would add, change and delete."""
    from rook_tally.cli.site_file import plan

    plan(chosen_store(context, store), file, only or [], as_json=as_json)


@site_app.command("read")
def site_read(
    context: typer.Context,
    file: FileArgument,
    only: OnlyOption = None,
    yes: YesOption = False,
    store: StoreOption = None,
) -> None:
    """Bring the site to what a site file says, all of it or nothing."""
    from rook_tally.cli.site_file import read

    read(chosen_store(context, store), file, only or [], is_sure=yes)


@site_app.command("ready-made")
def site_ready_made() -> None:
    """List the site files that come with the program."""
    from rook_tally.cli.site_file import list_ready_made

    list_ready_made()


setting_app = typer.Typer(help="Settings that have no command of their own.", no_args_is_help=True)
sites_app.add_typer(setting_app, name="setting")


@setting_app.command("list")
def setting_list(
    context: typer.Context, as_json: JsonOption = False, store: StoreOption = None
) -> None:
    """Every setting: what it is, and what it says."""
    from rook_tally.cli.settings import list_settings

    list_settings(chosen_store(context, store), as_json=as_json)


@setting_app.command("set")
def setting_set(
    context: typer.Context,
    name: Annotated[str, typer.Argument(metavar="NAME", help="As the list has it.")],
    value: Annotated[str, typer.Argument(metavar="VALUE")],
    store: StoreOption = None,
) -> None:
    """Give a setting another value."""
    from rook_tally.cli.settings import set_setting

    set_setting(chosen_store(context, store), name, value)


changes_app = typer.Typer(help="What was changed, by whom and when.", invoke_without_command=True)
sites_app.add_typer(changes_app, name="changes")


@changes_app.callback()
def changes(
    context: typer.Context,
    most: Annotated[int, typer.Option(min=1, max=5000, help="How many of the last.")] = 50,
    as_json: JsonOption = False,
    store: StoreOption = None,
) -> None:
    """List the changes of the configuration, the newest first."""
    context.obj = chosen_store(context, store)
    if context.invoked_subcommand is None:
        from rook_tally.cli.changes import list_changes

        list_changes(context.obj, most=most, as_json=as_json)


@changes_app.command("undo")
def changes_undo(
    context: typer.Context,
    number: Annotated[int, typer.Argument(metavar="N", help="What the list calls it.")],
    store: StoreOption = None,
) -> None:
    """Take one change back; refused where somebody has built upon it."""
    from rook_tally.cli.changes import undo

    undo(chosen_store(context, store), number)
