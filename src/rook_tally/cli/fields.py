"""`rook-tally field list|set|remove|restore`, `rook-tally reading delete|deleted|restore`."""

from __future__ import annotations

from typing import Any
from zoneinfo import ZoneInfo

import msgspec
import typer

from rook_tally.cli.changing import changing
from rook_tally.cli.moments import moment_us
from rook_tally.clock import now_us
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.field_words import FieldWords, settings_from
from rook_tally.core.timestamps import rfc3339
from rook_tally.login import login_name
from rook_tally.store.maintenance import existing_store, open_store
from rook_tally.store.readings.deletion import delete_readings, deletions, restore_readings
from rook_tally.store.readings.field_meaning import settle_field
from rook_tally.store.site import Series, Site, load_site
from rook_tally.store.site.series_removal import remove_series, restore_series
from rook_tally.store.site.station_lives import KEPT_REMOVED, any_station

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
        series = _series(load_site(connection), key, field)
        told = settings_from(words, series.settings, series.shown)
        settle_field(connection, series, told, quantity=quantity, unit=unit)
    typer.echo(f"{field} of {key} is settled")


def remove(where: str, key: str, field: str) -> None:
    """Remove a field with its readings."""
    removed_us = now_us()
    with changing(where) as connection:
        remove_series(connection, _series(load_site(connection), key, field), now_us=removed_us)
    typer.echo(
        f"{field} of {key} is removed with its readings. For {KEPT_REMOVED.days} days "
        f"`rook-tally field restore {key} {field}` brings it back"
    )


def restore(where: str, key: str, field: str) -> None:
    """Have a field back that was removed."""
    with changing(where) as connection:
        restore_series(connection, any_station(load_site(connection), key), field)
    typer.echo(f"{field} of {key} is back with all its readings")


def delete(where: str, key: str, field: str, since: str, until: str) -> None:
    """Delete the readings of a stretch."""
    asked_us = now_us()
    with changing(where) as connection:
        site = load_site(connection)
        zone = ZoneInfo(site.zone)
        from_us, to_us = (moment_us(one, now_us=asked_us, zone=zone) for one in (since, until))
        series = _series(site, key, field)
        gone = delete_readings(
            connection, series, from_us, to_us, who=login_name(), now_us=asked_us
        )
    deleted = "reading is" if gone.count == 1 else "readings are"
    typer.echo(
        f"{gone.count} {deleted} deleted. For {KEPT_REMOVED.days} days "
        f"`rook-tally reading restore {gone.number}` brings them back"
    )


def list_deleted(where: str, *, as_json: bool) -> None:
    """Print what was deleted and can be had back."""
    with existing_store(where) as store, store.read() as connection:
        names = {one.id: (one.station.key, one.field) for one in load_site(connection).series}
        found = [one for one in deletions(connection) if one.series_id in names]
    told = [
        {
            "number": one.number,
            "station": names[one.series_id][0],
            "field": names[one.series_id][1],
            "from": rfc3339(one.from_us),
            "to": rfc3339(one.to_us),
            "count": one.count,
            "who": one.who,
            "deleted": rfc3339(one.deleted_us),
        }
        for one in found
    ]
    if as_json:
        typer.echo(msgspec.json.encode(told).decode())
        return
    for line in told:
        typer.echo(
            f"{line['number']:>4}  {line['station']} {line['field']}: {line['count']} readings "
            f"from {line['from']} to {line['to']}, deleted {line['deleted']} by {line['who']}"
        )
    if not told:
        typer.echo("nothing was deleted")


def bring_back(where: str, number: int) -> None:
    """Have readings back that were deleted.

    Raises
    ------
    UsageError
        When they cannot be had back.
    """
    with changing(where) as connection:
        known = {one.id: one for one in load_site(connection).series}
        gone = next((one for one in deletions(connection) if one.number == number), None)
        series = None if gone is None else known.get(gone.series_id)
        if series is None:
            raise UsageError(
                f"nothing deleted has the number {number}", remedy="see rook-tally reading deleted"
            )
        count = restore_readings(connection, series, number)
    typer.echo("1 reading is back" if count == 1 else f"{count} readings are back")


def _series(site: Site, key: str, field: str) -> Series:
    station = any_station(site, key)
    mine = [one for one in site.series if one.station.id == station.id]
    series = next((one for one in mine if one.field == field), None)
    if series is None:
        known = ", ".join(one.field for one in mine) or "none yet"
        raise UsageError(f"{key} has no field {field!r}", remedy=f"known: {known}")
    return series


def _account(one: Series) -> dict[str, Any]:
    return {
        "field": one.field,
        "quantity": one.quantity.slug,
        "unit": one.unit,
        "settings": msgspec.to_builtins(one.settings),
    }
