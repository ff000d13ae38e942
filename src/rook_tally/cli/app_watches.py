"""Commands about watches, whom they tell, what stands, and the journal."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from rook_tally.cli.options import JsonOption, StoreOption, YesOption, chosen_store
from rook_tally.core.alarms.channels import Security

watches_app = typer.Typer()
watch_app = typer.Typer(help="Watches: when to ring, whom to tell.", no_args_is_help=True)
way_app = typer.Typer(help="Ways of telling.", no_args_is_help=True)
watches_app.add_typer(watch_app, name="watch")
watches_app.add_typer(way_app, name="way")

NameArgument = Annotated[str, typer.Argument(metavar="WATCH", help="What the list calls it.")]


@watch_app.command("list")
def watch_list(
    context: typer.Context, as_json: JsonOption = False, store: StoreOption = None
) -> None:
    """Every watch, how it stands and since when."""
    from rook_tally.cli.watches import list_watches

    list_watches(chosen_store(context, store), as_json=as_json)


@watch_app.command("show")
def watch_show(context: typer.Context, name: NameArgument, store: StoreOption = None) -> None:
    """A watch in words."""
    from rook_tally.cli.watches import show

    show(chosen_store(context, store), name)


@watch_app.command("add")
def watch_add(
    context: typer.Context,
    name: Annotated[str, typer.Argument(help="Its name, as shown.")],
    quantity: Annotated[str, typer.Argument(help="What it watches, such as pm25.")],
    place: Annotated[str, typer.Argument(help="A place, or a group such as indoors.")],
    above: Annotated[str, typer.Option(metavar="LIMIT", help="Such as '25 µg/m³'.")] = "",
    below: Annotated[str, typer.Option(metavar="LIMIT", help="Such as '3 °C'.")] = "",
    clear: Annotated[float | None, typer.Option(help="Where it clears; the limit itself.")] = None,
    for_: Annotated[str, typer.Option("--for", metavar="SPAN", help="Before it rings.")] = "0 s",
    calm: Annotated[str, typer.Option(metavar="SPAN", help="Before it clears.")] = "0 s",
    tell: Annotated[list[str] | None, typer.Option(help="A way of telling; several times.")] = None,
    store: StoreOption = None,
) -> None:
    """Watch a limit from now on; for anything else see `watch read`."""
    from rook_tally.cli.watches import add

    add(
        chosen_store(context, store),
        name,
        quantity,
        place,
        above=above,
        below=below,
        clear=clear,
        for_=for_,
        calm=calm,
        tell=tuple(tell or ("this desktop",)),
    )


@watch_app.command("remove")
def watch_remove(context: typer.Context, name: NameArgument, store: StoreOption = None) -> None:
    """Take a watch away; the journal stays."""
    from rook_tally.cli.watches import remove

    remove(chosen_store(context, store), name)


@watch_app.command("backtest")
@watch_app.command("rehearse", hidden=True)
def watch_backtest(
    context: typer.Context,
    name: NameArgument,
    last: Annotated[str, typer.Option(metavar="SPAN", help="Over this last while.")] = "7 d",
    as_json: JsonOption = False,
    store: StoreOption = None,
) -> None:
    """Backtest a watch over what was kept."""
    from rook_tally.cli.watches import run_backtest

    run_backtest(chosen_store(context, store), name, last=last, as_json=as_json)


@watch_app.command("try")
def watch_try(context: typer.Context, name: NameArgument, store: StoreOption = None) -> None:
    """Test a watch's alarm now, through everything it rings through."""
    from rook_tally.cli.alarms import wish
    from rook_tally.store.site import RequestKind

    wish(chosen_store(context, store), RequestKind.TRIAL, name)


@watch_app.command("export")
def watch_export(context: typer.Context, store: StoreOption = None) -> None:
    """Print all watches and ways of telling as TOML; passwords and secrets stay here."""
    from rook_tally.cli.watches import export

    export(chosen_store(context, store))


@watch_app.command("read")
def watch_read(
    context: typer.Context,
    file: Annotated[Path, typer.Argument(help="A TOML file; see docs/watches.md.")],
    store: StoreOption = None,
) -> None:
    """Keep the watches and ways of a file; those of the same names are replaced."""
    from rook_tally.cli.watches import read

    read(chosen_store(context, store), file)


@way_app.command("list")
def way_list(context: typer.Context, store: StoreOption = None) -> None:
    """Every way of telling."""
    from rook_tally.cli.channels import list_ways

    list_ways(chosen_store(context, store))


@way_app.command("add")
def way_add(
    context: typer.Context,
    name: Annotated[str, typer.Argument(metavar="NAME", help="Whom it reaches.")],
    mail: Annotated[str | None, typer.Option(metavar="SERVER", help="By mail.")] = None,
    sender: Annotated[str, typer.Option("--from", metavar="ADDRESS")] = "",
    to: Annotated[list[str] | None, typer.Option(metavar="ADDRESS", help="Several times.")] = None,
    user: Annotated[str, typer.Option(help="At the mail server.")] = "",
    security: Annotated[Security, typer.Option(help="Of mail.")] = Security.STARTTLS,
    port: Annotated[int, typer.Option(min=0, max=65535, help="Of mail; as usual.")] = 0,
    webhook: Annotated[str | None, typer.Option(metavar="URL", help="By a webhook.")] = None,
    mqtt: Annotated[str | None, typer.Option(metavar="TOPIC", help="By MQTT.")] = None,
    secret_file: Annotated[
        Path | None,
        typer.Option(metavar="FILE", help="With the password or secret in it; - to be given it."),
    ] = None,
    quiet: Annotated[str, typer.Option(metavar="HOURS", help="Such as 22:00-06:00.")] = "",
    digest: Annotated[str, typer.Option(metavar="HH:MM", help="Tell once a day, then.")] = "",
    yes: YesOption = False,
    store: StoreOption = None,
) -> None:
    """Set up a way of telling, or change the one of that name."""
    from rook_tally.cli.channels import add

    add(
        chosen_store(context, store),
        name,
        mail=mail,
        sender=sender,
        to=to or [],
        user=user,
        security=security,
        port=port,
        webhook=webhook,
        mqtt=mqtt,
        secret_file=secret_file,
        quiet=quiet,
        digest=digest,
        is_sure=yes,
    )


@way_app.command("test")
def way_test(
    context: typer.Context,
    name: Annotated[str, typer.Argument(metavar="NAME", help="Whom it reaches.")],
    store: StoreOption = None,
) -> None:
    """Send a test by a way of telling, and say what became of it."""
    from rook_tally.cli.channels import test

    test(chosen_store(context, store), name)


@way_app.command("remove")
def way_remove(
    context: typer.Context,
    name: Annotated[str, typer.Argument(help="What the list calls it.")],
    store: StoreOption = None,
) -> None:
    """Take a way of telling away."""
    from rook_tally.cli.channels import remove_a_way

    remove_a_way(chosen_store(context, store), name)


@watches_app.command("alarms")
def alarms(context: typer.Context, as_json: JsonOption = False, store: StoreOption = None) -> None:
    """List every alarm that is not normal."""
    from rook_tally.cli.alarms import show_alarms

    show_alarms(chosen_store(context, store), as_json=as_json)


@watches_app.command("ack")
def ack(
    context: typer.Context,
    name: NameArgument,
    word: Annotated[str, typer.Option(help="Why, for the journal.")] = "",
    store: StoreOption = None,
) -> None:
    """Acknowledge the alarms of a watch."""
    from rook_tally.cli.alarms import wish
    from rook_tally.store.site import RequestKind

    wish(chosen_store(context, store), RequestKind.ACKNOWLEDGE, name, word=word)


@watches_app.command("shelve")
def shelve(
    context: typer.Context,
    name: NameArgument,
    for_: Annotated[
        str, typer.Option("--for", metavar="SPAN", help="Until then; 0 s: no more.")
    ] = "1 h",
    word: Annotated[str, typer.Option(help="Why, for the journal.")] = "",
    store: StoreOption = None,
) -> None:
    """Set the alarms of a watch aside for a while, or take them off the shelf."""
    from rook_tally.cli.alarms import wish
    from rook_tally.core.alarms.files import seconds_of
    from rook_tally.store.site import RequestKind

    seconds = seconds_of(for_)
    sort = RequestKind.SHELVE if seconds > 0 else RequestKind.UNSHELVE
    wish(chosen_store(context, store), sort, name, word=word, for_s=seconds)


@watches_app.command("journal")
def journal(
    context: typer.Context,
    watch: Annotated[str, typer.Option(help="Of this watch only.")] = "",
    most: Annotated[int, typer.Option(help="So many lines.")] = 50,
    as_json: JsonOption = False,
    store: StoreOption = None,
) -> None:
    """List what watches and actions did, newest first."""
    from rook_tally.cli.alarms import show_journal

    show_journal(chosen_store(context, store), watch=watch, most=most, as_json=as_json)
