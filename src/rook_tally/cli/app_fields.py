"""Commands about what a station's fields mean and how they are shown."""

from __future__ import annotations

from typing import Annotated

import typer

from rook_tally.cli.options import JsonOption, StoreOption, chosen_store

fields_app = typer.Typer()
field_app = typer.Typer(help="Fields of a station: what each measures, its name, how it is shown.")
fields_app.add_typer(field_app, name="field")
StationArgument = Annotated[str, typer.Argument(metavar="STATION")]


@field_app.command("list")
def field_list(
    context: typer.Context,
    station: StationArgument,
    as_json: JsonOption = False,
    store: StoreOption = None,
) -> None:
    """What each field of a station measures, and what was settled for it."""
    from rook_tally.cli.fields import list_fields

    list_fields(chosen_store(context, store), station, as_json=as_json)


@field_app.command("set")
def field_set(
    context: typer.Context,
    station: StationArgument,
    field: Annotated[str, typer.Argument(metavar="FIELD", help="As the station sends it.")],
    quantity: Annotated[
        str | None, typer.Option(metavar="NAME", help="What it measures; its past follows.")
    ] = None,
    unit: Annotated[
        str | None, typer.Option(metavar="UNIT", help="In which it is sent; its past follows.")
    ] = None,
    title: Annotated[
        str | None, typer.Option("--name", metavar="NAME", help="What it is called; '' for none.")
    ] = None,
    believable: Annotated[
        str | None,
        typer.Option(
            metavar='"LOW HIGH"', help="Outside it is suspect, in the unit shown; '' for usual."
        ),
    ] = None,
    accuracy: Annotated[
        str | None,
        typer.Option(
            metavar="±", help="What its sensor can tell, in the unit shown; '' for usual."
        ),
    ] = None,
    decimals: Annotated[
        str | None, typer.Option(metavar="N", help="Shown, in the unit shown; '' for usual.")
    ] = None,
    colour: Annotated[
        str | None, typer.Option(metavar="1-6", help="Of its trace; '' for any.")
    ] = None,
    hidden: Annotated[
        bool | None, typer.Option("--hidden/--shown", help="Not in the Ledger; kept and watched.")
    ] = None,
    left_out: Annotated[
        bool | None,
        typer.Option("--left-out/--taken-in", help="Whether what comes from now on is kept."),
    ] = None,
    store: StoreOption = None,
) -> None:
    """Settle a field. Another quantity or unit holds for all that was kept of it."""
    from rook_tally.cli.fields import FieldWords, settle

    words = FieldWords(title, believable, accuracy, decimals, colour, hidden, left_out)
    settle(chosen_store(context, store), station, field, words, quantity=quantity, unit=unit)
