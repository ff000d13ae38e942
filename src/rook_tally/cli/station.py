"""`rook-tally station …`."""

from __future__ import annotations

import math
from dataclasses import asdict
from typing import Any
from zoneinfo import ZoneInfo

import msgspec
import typer
from sqlalchemy.engine import Connection

from rook_tally.cli.changing import changing
from rook_tally.cli.selectors import station_named
from rook_tally.clock import now_us
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.number_format import age
from rook_tally.core.series.freshness import freshness
from rook_tally.core.site_settings import position_from
from rook_tally.core.timestamps import SECOND_US, datetime_from_time_us, rfc3339
from rook_tally.store.maintenance import existing_store
from rook_tally.store.readings import latest
from rook_tally.store.site import (
    MessageCounts,
    Site,
    Station,
    add_station,
    clock_faults,
    correction_entries,
    describe_station,
    kind_of_site,
    load_site,
    renew_access_key,
    tallies,
)
from rook_tally.store.site.station_lives import KEPT_REMOVED, any_station, removed_stations
from rook_tally.store.site.station_settings import settle_station


def add(
    where: str, key: str, *, place: str, kind: str, cadence_s: float | None, indoors: bool
) -> None:
    """Add a station and print its access key alone on the last line."""
    with changing(where, makes_store=True) as connection:
        chosen = kind_of_site(connection, kind)
        access_key = add_station(
            connection, key, place=place, kind=chosen, indoors=indoors, cadence_s=cadence_s
        )
    typer.echo(f"{key} at {place}, {chosen.name}. Its access key, shown this once:", err=True)
    typer.echo(access_key)


def settle(
    where: str,
    key: str,
    *,
    place: str | None,
    kind: str | None,
    cadence_s: float | None,
    notes: str | None = None,
    position: str | None = None,
) -> None:
    """Move a station, make it another kind, say how often it reports, or write down what is to be
    known of it.

    Raises
    ------
    UsageError
        When nothing was told, or there is no such station or kind.
    """
    if all(one is None for one in (place, kind, cadence_s, notes, position)):
        raise UsageError(
            "nothing was told", remedy="give --place, --kind, --cadence, --notes or --position"
        )
    with changing(where) as connection:
        station = station_named(load_site(connection), key)
        settle_station(connection, station, place=place, kind=kind, cadence_s=cadence_s)
        if notes is not None or position is not None:
            where_told = (station.latitude, station.longitude)
            if position is not None:
                where_told = position_from(position) or (None, None)
            describe_station(
                connection,
                station,
                notes=station.notes if notes is None else notes,
                latitude=where_told[0],
                longitude=where_told[1],
            )
        now = station_named(load_site(connection), key)
    typer.echo(f"{key}: {now.place.name}, {now.kind.name}, every {now.cadence_s:g} s")


def list_removed(where: str, *, as_json: bool) -> None:
    """Print the stations that can be had back."""
    with existing_store(where) as store, store.read() as connection:
        zone = ZoneInfo(load_site(connection).zone)
        removed = removed_stations(connection)
    if as_json:
        told = [{"station": key, "removed": rfc3339(at)} for key, at in removed.items()]
        typer.echo(msgspec.json.encode(told).decode())
        return
    for key, removed_us in removed.items():
        until = datetime_from_time_us(removed_us).astimezone(zone) + KEPT_REMOVED
        typer.echo(f"{key:<20} can be restored until {until:%d %B %Y}")


def list_stations(where: str, *, as_json: bool) -> None:
    """Print every station, by place and order, those out of use last."""
    with existing_store(where) as store, store.read() as connection:
        site = load_site(connection)
        accounts = [_account(connection, site, one) for one in (*site.stations, *site.retired)]
    if as_json:
        typer.echo(msgspec.json.encode(accounts).decode())
        return
    cells = [
        (
            str(one["station"]),
            str(one["place"]),
            str(one["kind"]),
            "never heard" if one["age_s"] is None else f"{age(one['age_s'])}, {one['state']}",
        )
        for one in accounts
    ]
    widths = [max(map(len, column)) for column in zip(*cells, strict=True)]
    for row in cells:
        line = "  ".join(text.ljust(width) for text, width in zip(row, widths, strict=True))
        typer.echo(line.rstrip())


def renew_key(where: str, key: str) -> None:
    """Give a station a new access key and print it alone on the last line."""
    with changing(where) as connection:
        access_key = renew_access_key(connection, station_named(load_site(connection), key))
    typer.echo(f"the new access key of {key}, shown this once:", err=True)
    typer.echo(access_key)


def show(where: str, key: str, *, as_json: bool) -> None:
    """Print what is known of a station: where it stands, what it tells, what became of it."""
    with existing_store(where) as store, store.read() as connection:
        site = load_site(connection)
        account = _account(connection, site, any_station(site, key))
    if as_json:
        typer.echo(msgspec.json.encode([account]).decode())
        return
    for name in ("station", "place", "kind", "cadence_s", "state", "age_s", "clock_ahead_s"):
        typer.echo(f"{name:<10} {'' if account[name] is None else account[name]}")
    for name, count in account["counts"].items():
        typer.echo(f"{name:<14} {count}")
    for one in account["fields"]:
        typer.echo(f"{one['field']:<14} {one['quantity']:<20} {one['value']} {one['unit']}")


def _account(connection: Connection, site: Site, station: Station) -> dict[str, Any]:
    series = [one for one in site.series if one.station.id == station.id]
    newest = latest(connection, [one.id for one in series])
    last_us = max((one.time_us for one in newest.values()), default=None)
    age_s = None if last_us is None else (now_us() - last_us) / SECOND_US
    offline_us = station.offline_since_us
    is_offline = offline_us is not None and (last_us is None or last_us <= offline_us)
    state = freshness(
        math.inf if age_s is None else age_s,
        station.cadence_s,
        is_offline=is_offline,
        is_maintained=station.is_maintained(now_us()),
    )
    fault = clock_faults(connection).get(station.id)
    return {
        "station": station.key,
        "place": station.place.name,
        "kind": station.kind.slug,
        "cadence_s": station.cadence_s,
        "state": state.wording if station.retired_us is None else "out of use",
        "maintenance": station.maintenance and [rfc3339(one) for one in station.maintenance],
        "retired": None if station.retired_us is None else rfc3339(station.retired_us),
        "aliases": [name for name, number in site.aliases.items() if number == station.id],
        "age_s": None if age_s is None else round(age_s, 3),
        "clock_ahead_s": None if fault is None else fault.ahead_s,
        "counts": asdict(tallies(connection).get(station.id, MessageCounts())),
        "fields": [
            {
                "field": one.field,
                "quantity": one.quantity.slug,
                "value": newest[one.id].value if one.id in newest else None,
                "unit": one.quantity.base.symbol,
                "time": rfc3339(newest[one.id].time_us) if one.id in newest else None,
                "corrections": [
                    {
                        "from": rfc3339(entry.correction.from_us),
                        "gain": entry.correction.gain,
                        "offset": entry.correction.offset,
                        "who": entry.who,
                        "why": entry.why,
                    }
                    for entry in correction_entries(connection, one.id)
                ],
            }
            for one in series
        ],
    }
