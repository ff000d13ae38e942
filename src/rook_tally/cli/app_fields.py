"""Commands about what a station's fields mean and how they are shown."""

from __future__ import annotations

from typing import Annotated

import typer

from rook_tally.cli.options import JsonOption, StoreOption, chosen_store

fields_app = typer.Typer()
field_app = typer.Typer(help="Fields of a station: what each measures, its name, how it is shown.")
fields_app.add_typer(field_app, name="field")
FieldArgument = Annotated[str, typer.Argument(metavar="FIELD", help="As the station sends it.")]
StationArgument = Annotated[str, typer.Argument(metavar="STATION")]


@field_app.command("list")
def field_list(
    context: typer.Context,
    station: StationArgument,
    as_json: JsonOption = False,
    store: StoreOption = None,
) -> None:
    """List the fields of a station: what each measures, and its settings."""
    from rook_tally.cli.fields import list_fields

    list_fields(chosen_store(context, store), station, as_json=as_json)


@field_app.command("remove")
def field_remove(
    context: typer.Context,
    station: StationArgument,
    field: FieldArgument,
    store: StoreOption = None,
) -> None:
    """Remove a field with its readings; for a month it can be had back."""
    from rook_tally.cli.fields import remove

    remove(chosen_store(context, store), station, field)


@field_app.command("restore")
def field_restore(
    context: typer.Context,
    station: StationArgument,
    field: FieldArgument,
    store: StoreOption = None,
) -> None:
    """Have a field back that was removed in the last month."""
    from rook_tally.cli.fields import restore

    restore(chosen_store(context, store), station, field)


reading_app = typer.Typer(help="Readings deleted, and had back.")
fields_app.add_typer(reading_app, name="reading")


@reading_app.command("delete")
def reading_delete(
    context: typer.Context,
    station: StationArgument,
    field: FieldArgument,
    since: Annotated[
        str, typer.Option("--from", metavar="T", help='As "yesterday 9:00", or RFC 3339; included.')
    ],
    until: Annotated[str, typer.Option("--to", metavar="T", help="The same; not included.")],
    store: StoreOption = None,
) -> None:
    """Delete the readings of a stretch; for a month they can be had back."""
    from rook_tally.cli.fields import delete

    delete(chosen_store(context, store), station, field, since, until)


@reading_app.command("deleted")
def reading_deleted(
    context: typer.Context, as_json: JsonOption = False, store: StoreOption = None
) -> None:
    """List the readings that were deleted in the last month, by number."""
    from rook_tally.cli.fields import list_deleted

    list_deleted(chosen_store(context, store), as_json=as_json)


@reading_app.command("restore")
def reading_restore(
    context: typer.Context,
    number: Annotated[int, typer.Argument(metavar="NUMBER", help="Of `reading deleted`.")],
    store: StoreOption = None,
) -> None:
    """Have readings back that were deleted."""
    from rook_tally.cli.fields import bring_back

    bring_back(chosen_store(context, store), number)


@field_app.command("set")
def field_set(
    context: typer.Context,
    station: StationArgument,
    field: FieldArgument,
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
