"""`rook-tally station rename|replace|retire|use|maintain|remove|restore|forget`."""

from __future__ import annotations

from zoneinfo import ZoneInfo

import typer

from rook_tally.cli.changing import changing
from rook_tally.cli.selectors import station_named
from rook_tally.clock import now_us
from rook_tally.core.errors import UsageError
from rook_tally.core.time_input import typed_end, typed_time
from rook_tally.core.timestamps import datetime_from_time_us
from rook_tally.login import login_name
from rook_tally.store.exchange.station_moves import move_from, replace_station
from rook_tally.store.site import load_site
from rook_tally.store.site.station_lives import (
    KEPT_REMOVED,
    any_station,
    drop_alias,
    end_maintenance,
    maintain_station,
    put_into_use,
    remove_station,
    rename_station,
    restore_station,
    retire_station,
)


def rename(where: str, old: str, new: str) -> None:
    """Let a station go by another key; the old one goes on as an alias."""
    with changing(where) as connection:
        rename_station(connection, any_station(load_site(connection), old), new)
    typer.echo(
        f"{old} is {new} now; what still comes under {old} is its own, until "
        f"`rook-tally station forget {old}`"
    )


def forget(where: str, name: str) -> None:
    """Drop a former key."""
    with changing(where) as connection:
        drop_alias(connection, name)
    typer.echo(f"what comes under {name} is a stray's from now on")


def move(where: str, key: str, place: str, moment: str) -> None:
    """Let a station stand at another place from a moment on."""
    with changing(where) as connection:
        site = load_site(connection)
        station, asked_us = station_named(site, key), now_us()
        from_us = typed_time(moment, now_us=asked_us, zone=ZoneInfo(site.zone)).start_us
        past = move_from(connection, station, place, from_us, now_us=asked_us)
    typer.echo(f"{key} stands at {place}; its readings until then stay with {past}")


def replace(where: str, old: str, new: str) -> None:
    """Let another box take the place of one."""
    with changing(where) as connection:
        station = any_station(load_site(connection), old)
        access_key = replace_station(connection, station, new, who=login_name(), now_us=now_us())
    typer.echo(f"{new} goes on with what {old} measured; corrections end now", err=bool(access_key))
    if access_key:
        typer.echo(f"the access key of {new}, shown this once:", err=True)
        typer.echo(access_key)


def retire(where: str, key: str) -> None:
    """Expect nothing of a station any more."""
    with changing(where) as connection:
        retire_station(connection, station_named(load_site(connection), key), now_us=now_us())
    typer.echo(f"{key} is out of use; its readings stay. `rook-tally station use {key}` undoes it")


def use(where: str, key: str) -> None:
    """Expect readings of a station again.

    Raises
    ------
    UsageError
        When it is in use.
    """
    with changing(where) as connection:
        station = any_station(load_site(connection), key)
        if station.retired_us is None:
            raise UsageError(f"{key} is in use", kept="it stays so")
        put_into_use(connection, station)
    typer.echo(f"{key} is in use again")


def maintain(where: str, key: str, until: str, *, is_end: bool) -> None:
    """Expect nothing of a station until a moment, or expect it again.

    Raises
    ------
    UsageError
        When neither or both are told.
    """
    if bool(until) is is_end:
        raise UsageError("say --until TIME or --end", kept="nothing was changed")
    asked_us = now_us()
    with changing(where) as connection:
        site = load_site(connection)
        station = station_named(site, key)
        if is_end:
            end_maintenance(connection, station, now_us=asked_us)
            words = f"{key} is expected to report again"
        else:
            zone = ZoneInfo(site.zone)
            to_us = typed_end(until, now_us=asked_us, zone=zone)
            maintain_station(connection, station, from_us=asked_us, to_us=to_us)
            told = datetime_from_time_us(to_us).astimezone(zone)
            words = f"{key} is under maintenance until {told:%d %B %Y %H:%M}"
    typer.echo(words)


def remove(where: str, key: str) -> None:
    """Remove a station with its readings."""
    with changing(where) as connection:
        removed_us = now_us()
        site = load_site(connection)
        remove_station(connection, any_station(site, key), now_us=removed_us)
    until = datetime_from_time_us(removed_us).astimezone(ZoneInfo(site.zone)) + KEPT_REMOVED
    typer.echo(
        f"{key} is removed with its readings. Until {until:%d %B %Y} "
        f"`rook-tally station restore {key}` brings it back"
    )


def restore(where: str, key: str) -> None:
    """Have a station back that was removed."""
    with changing(where) as connection:
        restore_station(connection, key)
    typer.echo(f"{key} is back with all its readings")
