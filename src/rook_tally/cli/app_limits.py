"""Commands about limits: where levels begin."""

from __future__ import annotations

from typing import Annotated

import typer

from rook_tally.cli.options import JsonOption, StoreOption, chosen_store

limits_app = typer.Typer()
limit_app = typer.Typer(help="Limits: where a reading is noticed, raised, high or severe.")
limits_app.add_typer(limit_app, name="limit")

QuantityArgument = Annotated[str, typer.Argument(metavar="QUANTITY", help="Such as co2.")]
PlaceOption = Annotated[str, typer.Option("--place", metavar="NAME", help="At this place alone.")]
StationOption = Annotated[
    str, typer.Option("--station", metavar="ID", help="Of this station alone.")
]
HoursOption = Annotated[
    str, typer.Option("--hours", metavar="HOURS", help="At these hours, such as 22:00-06:00.")
]
_PAIRS = '"noticed=800 raised=1000 …"'


@limit_app.command("list")
def limit_list(
    context: typer.Context, as_json: JsonOption = False, store: StoreOption = None
) -> None:
    """The limits in force of every series, and where each comes from."""
    from rook_tally.cli.limits import list_limits

    list_limits(chosen_store(context, store), as_json=as_json)


@limit_app.command("presets")
def limit_presets(
    context: typer.Context,
    quantity: Annotated[str, typer.Argument(metavar="[QUANTITY]", help="Of this one.")] = "",
    store: StoreOption = None,
) -> None:
    """Published limits to pick from, each with its source."""
    from rook_tally.cli.limits import list_presets

    list_presets(chosen_store(context, store), quantity)


@limit_app.command("set")
def limit_set(
    context: typer.Context,
    quantity: QuantityArgument,
    place: PlaceOption = "",
    station: StationOption = "",
    above: Annotated[
        str | None, typer.Option(metavar=_PAIRS, help="Upper limits, in the unit shown.")
    ] = None,
    below: Annotated[
        str | None, typer.Option(metavar=_PAIRS, help="Lower limits, in the unit shown.")
    ] = None,
    preset: Annotated[
        str | None, typer.Option(metavar="NAME", help="Published ones: see `limit presets`.")
    ] = None,
    hours: HoursOption = "",
    store: StoreOption = None,
) -> None:
    """Set limits for a quantity on the whole site, at a place, or of one station; at some hours of
    the day others. A side that is not told has none."""
    from rook_tally.cli.limits import set_limits

    set_limits(
        chosen_store(context, store),
        quantity,
        place=place,
        station=station,
        above=above,
        below=below,
        preset=preset,
        hours=hours,
    )


@limit_app.command("clear")
def limit_clear(
    context: typer.Context,
    quantity: QuantityArgument,
    place: PlaceOption = "",
    station: StationOption = "",
    hours: HoursOption = "",
    store: StoreOption = None,
) -> None:
    """Take back what was set there: the limits around it hold again."""
    from rook_tally.cli.limits import clear_limits

    clear_limits(chosen_store(context, store), quantity, place=place, station=station, hours=hours)
