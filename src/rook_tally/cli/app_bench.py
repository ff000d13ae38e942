"""Commands of the Bench: whether a sensor is right, what is usual, what happens when."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from rook_tally.cli.options import StoreOption, chosen_store

bench_app = typer.Typer()

ObjectOption = Annotated[bool, typer.Option("--json", help="Print one JSON object, nothing else.")]
DaysOption = Annotated[
    float, typer.Option("--days", metavar="N", help="Look at the last so many days.")
]
FromOption = Annotated[
    str | None, typer.Option("--from", metavar="TIME", help="Look from this moment on.")
]
ToOption = Annotated[
    str | None, typer.Option("--to", metavar="TIME", help="Up to this moment; now when left out.")
]
QuantityOption = Annotated[
    str, typer.Option("--quantity", metavar="NAME", help="Of a station that tells several.")
]
_SERIES = "A station's ID, or such as co2@shop or co2@shop/shop-shelf."
SeriesArgument = Annotated[str, typer.Argument(metavar="SERIES", help=_SERIES)]


@bench_app.command("compare")
def compare(
    context: typer.Context,
    first: Annotated[str, typer.Argument(metavar="A", help=_SERIES)],
    second: Annotated[str, typer.Argument(metavar="B", help="What is set beside it.")],
    quantity: QuantityOption = "",
    days: DaysOption = 90.0,
    from_: FromOption = None,
    to: ToOption = None,
    apply: Annotated[
        bool, typer.Option("--apply", help="Correct B as proposed; `changes undo` takes it back.")
    ] = False,
    as_json: ObjectOption = False,
    store: StoreOption = None,
) -> None:
    """Two series side by side: how much B reads off A, how sure that is, its drift, and the
    correction that this carries."""
    from rook_tally.cli.bench import print_comparison
    from rook_tally.cli.bench_output import LookedAt

    print_comparison(
        chosen_store(context, store),
        first,
        second,
        quantity=quantity,
        stretch=LookedAt(days, from_, to),
        apply=apply,
        as_json=as_json,
    )


@bench_app.command("together")
def together(
    context: typer.Context,
    days: DaysOption = 90.0,
    from_: FromOption = None,
    to: ToOption = None,
    as_json: ObjectOption = False,
    store: StoreOption = None,
) -> None:
    """Which series move together though nobody said so, and which have left their group."""
    from rook_tally.cli.bench import print_found
    from rook_tally.cli.bench_output import LookedAt

    print_found(chosen_store(context, store), stretch=LookedAt(days, from_, to), as_json=as_json)


@bench_app.command("calibrate")
def calibrate(
    context: typer.Context,
    series: SeriesArgument,
    quantity: QuantityOption = "",
    point: Annotated[
        str | None,
        typer.Option("--point", metavar="VALUE", help="What the better meter says, unit shown."),
    ] = None,
    at: Annotated[
        str, typer.Option("--at", metavar="TIME", help="When it said so; now when left out.")
    ] = "now",
    over: Annotated[
        float,
        typer.Option("--over", metavar="SECONDS", help="LookedAt the sensor is averaged over."),
    ] = 300.0,
    uncertainty: Annotated[
        str | None,
        typer.Option("--uncertainty", metavar="±VALUE", help="Standard uncertainty of the meter."),
    ] = None,
    meter: Annotated[str, typer.Option("--meter", metavar="NAME", help="Which meter.")] = "",
    note: Annotated[str, typer.Option("--note", metavar="TEXT")] = "",
    file: Annotated[
        Path | None,
        typer.Option("--csv", metavar="FILE", help="Points: time,value,uncertainty,meter,note."),
    ] = None,
    remove: Annotated[
        int | None, typer.Option("--remove", metavar="N", help="Take point N of the list away.")
    ] = None,
    apply: Annotated[
        bool, typer.Option("--apply", help="Correct the sensor by the points there are.")
    ] = False,
    from_: Annotated[
        str | None, typer.Option("--from", metavar="TIME", help="From when the correction holds.")
    ] = None,
    model: Annotated[
        str, typer.Option("--model", metavar="auto|offset|line", help="What is fitted.")
    ] = "auto",
    due: Annotated[
        float | None,
        typer.Option("--due", metavar="MONTHS", help="Due again after so long; 0 for never."),
    ] = None,
    as_json: ObjectOption = False,
    store: StoreOption = None,
) -> None:
    """The record of a sensor: its reference points, what they say, its corrections. Points are
    added, read from a file, taken away, and made into a correction."""
    from rook_tally.cli.calibrate import Asked, calibrate_sensor

    calibrate_sensor(
        chosen_store(context, store),
        series,
        Asked(
            quantity=quantity,
            point=point,
            at=at,
            over_s=over,
            uncertainty=uncertainty,
            meter=meter,
            note=note,
            file=file,
            remove=remove,
            apply=apply,
            from_=from_,
            model=model,
            due=due,
        ),
        as_json=as_json,
    )


@bench_app.command("respond")
def respond(
    context: typer.Context,
    series: Annotated[str, typer.Argument(metavar="SERIES", help=_SERIES + " Or: all.")],
    to_event: Annotated[
        str,
        typer.Option(
            "--to",
            metavar="EVENT",
            help="on:SERIES, off:SERIES, pin:WORDS, span:WORDS, alarm:WATCH or SERIES>NUMBER.",
        ),
    ],
    before: Annotated[
        float, typer.Option("--before", metavar="MINUTES", help="Looked at before each.")
    ] = 30.0,
    after: Annotated[
        float, typer.Option("--after", metavar="MINUTES", help="Looked at from each on.")
    ] = 120.0,
    quantity: QuantityOption = "",
    days: DaysOption = 90.0,
    from_: FromOption = None,
    until: Annotated[
        str | None, typer.Option("--until", metavar="TIME", help="Up to; now when left out.")
    ] = None,
    as_json: ObjectOption = False,
    store: StoreOption = None,
) -> None:
    """What a series does when something happens; with `all` which series move then."""
    from rook_tally.cli.bench_output import LookedAt
    from rook_tally.cli.bench_response import print_response

    print_response(
        chosen_store(context, store),
        series,
        to_event,
        quantity=quantity,
        before_min=before,
        after_min=after,
        stretch=LookedAt(days, from_, until),
        as_json=as_json,
    )


@bench_app.command("profile")
def profile(
    context: typer.Context,
    series: SeriesArgument,
    quantity: QuantityOption = "",
    above: Annotated[
        str | None,
        typer.Option("--above", metavar="VALUE", help="Level that spells lie past, unit shown."),
    ] = None,
    days: DaysOption = 90.0,
    from_: FromOption = None,
    to: ToOption = None,
    as_json: ObjectOption = False,
    store: StoreOption = None,
) -> None:
    """What is usual of a series by time of day and week, and its spells past a level."""
    from rook_tally.cli.bench_output import LookedAt
    from rook_tally.cli.bench_profile import print_profile

    print_profile(
        chosen_store(context, store),
        series,
        quantity=quantity,
        above=above,
        stretch=LookedAt(days, from_, to),
        as_json=as_json,
    )


@bench_app.command("air")
def air(
    context: typer.Context,
    series: SeriesArgument,
    quantity: QuantityOption = "",
    volume: Annotated[
        float | None, typer.Option("--volume", metavar="M3", help="The room's volume.")
    ] = None,
    cleaner: Annotated[
        str, typer.Option("--cleaner", metavar="SERIES", help="The switch of an air cleaner.")
    ] = "",
    background: Annotated[
        str | None, typer.Option("--background", metavar="VALUE", help="Level of fresh air.")
    ] = None,
    days: DaysOption = 90.0,
    from_: FromOption = None,
    to: ToOption = None,
    as_json: ObjectOption = False,
    store: StoreOption = None,
) -> None:
    """How often a room changes its air, by the decays of CO₂ or particles found in its nights."""
    from rook_tally.cli.bench_output import LookedAt
    from rook_tally.cli.bench_profile import print_air

    print_air(
        chosen_store(context, store),
        series,
        quantity=quantity,
        volume_m3=volume,
        cleaner=cleaner,
        background=background,
        stretch=LookedAt(days, from_, to),
        as_json=as_json,
    )
