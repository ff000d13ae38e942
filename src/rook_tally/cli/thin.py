"""`rook-tally thin`."""

from __future__ import annotations

import enum
import time
from pathlib import Path

import typer

from rook_tally.cli.progress_line import progress_line
from rook_tally.cli.selectors import chosen_series
from rook_tally.clock import now_us
from rook_tally.core.errors import UsageError
from rook_tally.core.timestamps import DAY_US, rfc3339
from rook_tally.store.base import Store
from rook_tally.store.maintenance import existing_store
from rook_tally.store.maintenance.copies import back_up
from rook_tally.store.maintenance.thinning import Thinned, thin, thin_always_after
from rook_tally.store.site import Series, load_site


class Wish(enum.Enum):
    """An action on old readings."""

    COUNT = "count"
    REMOVE = "remove"
    ALWAYS = "always"
    NEVER = "never"


def thin_store(
    where: str, days: float | None, *, station: str | None, quantity: str | None, wish: Wish
) -> None:
    """Say what thinning would remove, and do what is wished."""
    if days is None and wish is not Wish.NEVER:
        raise UsageError("what counts as old?", remedy="say --older-than and a number of days")
    with existing_store(where) as store:
        if days is None or wish is Wish.ALWAYS:
            _set_habit(store, days, station, quantity)
            return
        with store.read() as connection:
            series = chosen_series(load_site(connection), station, quantity)
        before_us = now_us() - round(days * DAY_US)
        remove = wish is Wish.REMOVE
        if remove:
            _back_up_first(store)
        with progress_line("thinning") as progress:
            found = thin(store, series, before_us, remove=remove, progress=progress)
    _print(found, {one.id: one for one in series}, remove)


def _set_habit(store: Store, days: float | None, station: str | None, quantity: str | None) -> None:
    if station is not None or quantity is not None:
        raise UsageError(
            "--always and --never are for the whole store", remedy="leave the rest out"
        )
    with store.write() as connection:
        thin_always_after(connection, days)
    typer.echo(
        "the collector thins nothing"
        if days is None
        else f"the collector thins days older than {days:g} days, every day"
    )


def _back_up_first(store: Store) -> None:
    if store.path is None:
        raise UsageError(
            f"{store.url} is a server's database and cannot be backed up from here",
            remedy="back it up with pg_dump, then use --always",
        )
    backup = Path(f"{store.path}.before-thinning-{time.time_ns() // 10**9}")
    with progress_line("copying") as progress:
        back_up(store, backup, progress=progress)
    typer.echo(f"{backup} holds everything as it was; put it back with rook-tally restore")


def _print(found: list[Thinned], series: dict[int, Series], removed: bool) -> None:
    for one in found:
        told = series[one.series_id]
        typer.echo(
            f"{told.station.key} {told.field}: {one.readings} of {one.readings + one.staying} "
            f"readings on {one.days} days from {rfc3339(one.from_us)[:10]} "
            f"to {rfc3339(one.to_us - 1)[:10]}, {one.bytes_freed / 1e6:.2f} MB"
        )
    readings, freed = sum(one.readings for one in found), sum(one.bytes_freed for one in found)
    if not found:
        typer.echo("there is nothing to remove")
    elif removed:
        typer.echo(
            f"{readings} readings removed; rook-tally compact gives {freed / 1e6:.2f} MB back"
        )
    else:
        typer.echo(
            f"{readings} readings and {freed / 1e6:.2f} MB would go; nothing was removed "
            "(add --remove)"
        )
