"""Commands about the firmware of stations."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from rook_tally.cli.options import JsonOption, StoreOption, chosen_store

firmwares_app = typer.Typer()
firmware_app = typer.Typer(
    help="Firmware: images that stations fetch themselves, in steps.", no_args_is_help=True
)
firmwares_app.add_typer(firmware_app, name="firmware")

KindArgument = Annotated[str, typer.Argument(metavar="KIND", help="Slug of the kind.")]
VersionArgument = Annotated[str, typer.Argument(metavar="VERSION", help="As in 1.4.0.")]
FileArgument = Annotated[Path, typer.Argument(metavar="FILE", help="The image.")]


@firmware_app.command("add")
def firmware_add(
    context: typer.Context,
    kind: KindArgument,
    version: VersionArgument,
    file: FileArgument,
    notes: Annotated[str, typer.Option(metavar="TEXT", help="What is new in it.")] = "",
    signature: Annotated[
        str, typer.Option(metavar="HEX", help="Made elsewhere, of what `firmware signed` prints.")
    ] = "",
    store: StoreOption = None,
) -> None:
    """Keep an image, signed with the site's key; nobody is offered it yet."""
    from rook_tally.cli.firmware import add

    add(chosen_store(context, store), kind, version, file, notes, signature)


@firmware_app.command("list")
def firmware_list(
    context: typer.Context, as_json: JsonOption = False, store: StoreOption = None
) -> None:
    """Every image, and how it is given out."""
    from rook_tally.cli.firmware import print_list

    print_list(chosen_store(context, store), as_json=as_json)


@firmware_app.command("offer")
def firmware_offer(
    context: typer.Context,
    kind: KindArgument,
    version: Annotated[
        str, typer.Argument(metavar="VERSION", help="The newest where it is left out.")
    ] = "",
    first: Annotated[
        str, typer.Option(metavar="STATION", help="Begin with this one; else with any.")
    ] = "",
    share: Annotated[
        float, typer.Option(metavar="PERCENT", min=1, max=100, help="Of the second step.")
    ] = 25.0,
    watch: Annotated[
        float,
        typer.Option(metavar="SECONDS", min=0, help="Heard for so long before the next step."),
    ] = 3600.0,
    at_once: Annotated[bool, typer.Option("--all", help="To all at once.")] = False,
    store: StoreOption = None,
) -> None:
    """Give an image out: to one station, then to a share, then to all; it stops by itself when one
    that took it falls silent or comes back with what it had."""
    from rook_tally.cli.firmware import offer, rollout_wanted

    wanted = rollout_wanted(first, share, watch, at_once=at_once)
    offer(chosen_store(context, store), kind, version, wanted)


@firmware_app.command("next")
def firmware_next(context: typer.Context, kind: KindArgument, store: StoreOption = None) -> None:
    """Go a step further without waiting."""
    _step(chosen_store(context, store), kind, "next")


@firmware_app.command("pause")
def firmware_pause(context: typer.Context, kind: KindArgument, store: StoreOption = None) -> None:
    """Offer it to nobody for now."""
    _step(chosen_store(context, store), kind, "pause")


@firmware_app.command("resume")
def firmware_resume(context: typer.Context, kind: KindArgument, store: StoreOption = None) -> None:
    """Go on with what was paused or was stopped."""
    _step(chosen_store(context, store), kind, "resume")


@firmware_app.command("withdraw")
def firmware_withdraw(
    context: typer.Context, kind: KindArgument, store: StoreOption = None
) -> None:
    """Give out nothing any more; the image stays."""
    _step(chosen_store(context, store), kind, "withdraw")


@firmware_app.command("stations")
def firmware_stations(
    context: typer.Context,
    kind: KindArgument,
    as_json: JsonOption = False,
    store: StoreOption = None,
) -> None:
    """Print what each station of a kind runs, and how far it is with the image given out."""
    from rook_tally.cli.firmware import print_stations

    print_stations(chosen_store(context, store), kind, as_json=as_json)


@firmware_app.command("remove")
def firmware_remove(
    context: typer.Context, kind: KindArgument, version: VersionArgument, store: StoreOption = None
) -> None:
    """Delete an image that is not given out."""
    from rook_tally.cli.firmware import remove

    remove(chosen_store(context, store), kind, version)


@firmware_app.command("key")
def firmware_key(
    context: typer.Context,
    public: Annotated[
        str,
        typer.Option(
            metavar="HEX", help="Take this for the site's; its private half stays elsewhere."
        ),
    ] = "",
    store: StoreOption = None,
) -> None:
    """Print the public half of the site's key, by which stations know its images."""
    from rook_tally.cli.firmware import key

    key(chosen_store(context, store), public)


@firmware_app.command("signed")
def firmware_signed(kind: KindArgument, version: VersionArgument, file: FileArgument) -> None:
    """Print what has to be signed of an image, to sign it where the key is kept."""
    from rook_tally.cli.firmware import print_signed

    print_signed(kind, version, file)


def _step(where: str, kind: str, name: str) -> None:
    from rook_tally.cli.firmware import step
    from rook_tally.store.site.firmware_rollouts import RolloutStep

    step(where, kind, RolloutStep(name))
