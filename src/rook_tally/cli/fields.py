"""`rook-tally field list|set`."""

from __future__ import annotations

from typing import Any

import msgspec
import typer

from rook_tally.cli.changing import changing
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.field_words import FieldWords, settings_from
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings.field_meaning import settle_field
from rook_tally.store.site import Series, load_site
from rook_tally.store.site.station_lives import any_station

__all__ = ["FieldWords", "list_fields", "settle"]


def list_fields(where: str, key: str, *, as_json: bool) -> None:
    """Print the fields of a station."""
    store = open_store(where)
    try:
        with store.read() as connection:
            site = load_site(connection)
    finally:
        store.close()
    station = any_station(site, key)
    fields = [_account(one) for one in site.series if one.station.id == station.id]
    if as_json:
        typer.echo(msgspec.json.encode(fields).decode())
        return
    for one in fields:
        settled = ", ".join(f"{name} {value}" for name, value in one["settings"].items())
        typer.echo(f"{one['field']:20} {one['quantity']:20} {one['unit']:8} {settled}".rstrip())


def settle(
    where: str, key: str, field: str, words: FieldWords, *, quantity: str | None, unit: str | None
) -> None:
    """Settle a field.

    Raises
    ------
    UsageError
        When the station has no such field, or something told cannot be.
    """
    with changing(where) as connection:
        site = load_site(connection)
        station = any_station(site, key)
        mine = [one for one in site.series if one.station.id == station.id]
        series = next((one for one in mine if one.field == field), None)
        if series is None:
            known = ", ".join(one.field for one in mine) or "none yet"
            raise UsageError(f"{key} has no field {field!r}", remedy=f"known: {known}")
        told = settings_from(words, series.settings, series.shown)
        settle_field(connection, series, told, quantity=quantity, unit=unit)
    typer.echo(f"{field} of {key} is settled")


def _account(one: Series) -> dict[str, Any]:
    return {
        "field": one.field,
        "quantity": one.quantity.slug,
        "unit": one.unit,
        "settings": msgspec.to_builtins(one.settings),
    }
