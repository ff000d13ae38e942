"""`rook-tally station power`: how long batteries last."""

from __future__ import annotations

import math

import msgspec
import typer

from rook_tally.cli.selectors import station_named
from rook_tally.clock import now_us
from rook_tally.core.comparing.power import PowerOutlook
from rook_tally.core.comparing.power_words import power_lines
from rook_tally.core.errors import UsageError
from rook_tally.store.maintenance import existing_store
from rook_tally.store.readings.station_power import station_power
from rook_tally.store.site import load_site


def print_power(where: str, key: str | None, *, as_json: bool) -> None:
    """Print the outlook of a station, or of every one that tells of its battery."""
    told: dict[str, PowerOutlook] = {}
    with existing_store(where) as store, store.read() as connection:
        site = load_site(connection)
        chosen = site.stations if key is None else [station_named(site, key)]
        for station in chosen:
            series = [one for one in site.series if one.station.id == station.id]
            outlook = station_power(connection, series, now_us())
            if outlook is not None:
                told[station.key] = outlook
    if key is not None and not told:
        raise UsageError(
            f"{key} says nothing of its battery",
            remedy="its charge in % does (quantity battery), or a voltage with a lower limit",
        )
    if as_json:
        rows = [{"station": name} | _row(one) for name, one in told.items()]
        typer.echo(msgspec.json.encode(rows).decode())
        return
    for name, outlook in told.items():
        typer.echo(name)
        for line in power_lines(outlook):
            typer.echo(f"  {line}")
    if not told:
        typer.echo("no station says anything of its battery", err=True)


def _row(outlook: PowerOutlook) -> dict[str, object]:
    """An outlook without what is not known."""

    def known(value: object) -> object:
        return value if not isinstance(value, float) or math.isfinite(value) else None

    row: dict[str, object] = msgspec.to_builtins(outlook)
    cadences = [
        {name: known(value) for name, value in msgspec.to_builtins(one).items()}
        for one in outlook.cadences
    ]
    return {name: known(value) for name, value in row.items()} | {"cadences": cadences}
