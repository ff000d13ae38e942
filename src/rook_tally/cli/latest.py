"""`rook-tally latest`."""

from __future__ import annotations

from collections.abc import Mapping

import msgspec
import typer

from rook_tally import clock
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.number_format import age, figure
from rook_tally.core.quantities.quantity import Quantity
from rook_tally.store.maintenance import existing_store
from rook_tally.store.readings import LatestRow, latest_rows
from rook_tally.store.site import load_site


def print_latest(where: str, *, as_json: bool) -> None:
    """Print the newest reading of every series as one JSON list, or those of stations in use as a
    table."""
    with existing_store(where) as store, store.read() as connection:
        site = load_site(connection)
        rows = latest_rows(connection, now_us=clock.now_us())
        known = {one.quantity.slug: one.quantity for one in site.series}
    if as_json:
        typer.echo(msgspec.json.encode(rows).decode())
        return
    gone = {one.key for one in site.retired}
    in_use = [one for one in rows if one.station not in gone]
    if in_use:
        _print_table(in_use, known)
    else:
        typer.echo("nothing has been heard yet")


def _print_table(rows: list[LatestRow], known: Mapping[str, Quantity]) -> None:
    cells = [
        (
            row.place,
            row.station,
            known[row.quantity].name,
            _value(row, known[row.quantity]),
            row.unit,
            age(row.age_s),
            Level(row.level).wording if row.level else "",
            "" if row.quality == "good" else row.quality,
        )
        for row in rows
    ]
    widths = [max(len(row[column]) for row in cells) for column in range(len(cells[0]))]
    for row in cells:
        padded = [
            text.rjust(width) if column in (3, 5) else text.ljust(width)
            for column, (text, width) in enumerate(zip(row, widths, strict=True))
        ]
        typer.echo("  ".join(padded).rstrip())


def _value(row: LatestRow, quantity: Quantity) -> str:
    told = figure(row.value, quantity.decimals)
    if isinstance(row.uncertainty, msgspec.UnsetType):
        return told
    return f"{told} ±{figure(row.uncertainty, quantity.decimals + 1)}"
