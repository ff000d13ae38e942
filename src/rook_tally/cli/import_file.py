"""`rook-tally import`."""

from __future__ import annotations

import time
from collections.abc import Sequence
from pathlib import Path

import typer

from rook_tally.cli.strays import mapped_field
from rook_tally.core.numerals import figure
from rook_tally.core.timestamps import rfc3339
from rook_tally.intake.file_door import Refused
from rook_tally.intake.file_import import ImportedColumn, ImportOutcome, imported_file
from rook_tally.store import Store, load_site, open_store
from rook_tally.store.imports import imports, take_back

_SHOWN_REFUSALS = 5


def import_file(
    where: str, file: Path, key: str, *, maps: list[str], time_column: str | None, zone: str | None,
    dry_run: bool,
) -> None:  # fmt: skip
    """Read a CSV file into a station's series, or say what that would do."""
    store = open_store(where, create=False)
    try:
        done = imported_file(
            store, file, key, columns=dict(map(mapped_field, maps)), time_column=time_column,
            zone=zone, now_us=time.time_ns() // 1000, dry_run=dry_run,
        )  # fmt: skip
    finally:
        store.close()
    for line in _brought(done):
        typer.echo(line)
    for line in _refused(done.refused):
        typer.echo(line, err=True)
    typer.echo(_outcome(done, dry_run=dry_run))


def import_for_desk(store: Store, file: Path, station: str, zone: str, *, dry_run: bool) -> str:
    """The same asked for from the window; returns what came of it in words."""
    done = imported_file(
        store, file, station, columns={}, time_column=None, zone=zone or None,
        now_us=time.time_ns() // 1000, dry_run=dry_run,
    )  # fmt: skip
    lines = [*_brought(done), *_refused(done.refused), _outcome(done, dry_run=dry_run)]
    return "\n".join(lines)


def _brought(done: ImportOutcome) -> list[str]:
    return [_told(one) for one in done.columns]


def _outcome(done: ImportOutcome, *, dry_run: bool) -> str:
    if dry_run:
        return "nothing was written (a dry run)"
    return f"{done.readings} readings; take them back with rook-tally import --undo {done.number}"


def _told(one: ImportedColumn) -> str:
    column, readings, quantity = one.column, one.readings, one.column.quantity
    if not len(readings):
        return f"{column.name}: {quantity.name}, no readings"
    low, high = (figure(one, quantity.decimals) for one in
                 (readings.value.min(), readings.value.max()))  # fmt: skip
    first, last = (rfc3339(int(one))[:16] for one in (readings.time_us[0], readings.time_us[-1]))
    return (
        f"{column.name}: {quantity.name}, {len(readings)} readings from {first} to {last}, "
        f"{low} to {high} {quantity.base.symbol}; {one.new} of them new"
    )


def _refused(refused: Sequence[Refused]) -> list[str]:
    lines = [f"line {one.line}: {one.why}" for one in refused[:_SHOWN_REFUSALS]]
    if len(refused) > _SHOWN_REFUSALS:
        lines.append(f"and {len(refused) - _SHOWN_REFUSALS} more")
    return lines


def list_imports(where: str) -> None:
    """Print the imports that can be taken back."""
    store = open_store(where, create=False)
    try:
        with store.read() as connection:
            for one in imports(connection):
                when = rfc3339(one.made_us)[:16]
                typer.echo(f"{one.id:>4}  {when}  {one.readings:>9} readings  {one.name}")
    finally:
        store.close()


def undo_import(where: str, number: int) -> None:
    """Take back what an import brought."""
    store: Store = open_store(where, create=False)
    try:
        with store.write() as connection:
            series = {one.id: one for one in load_site(connection).series}
            gone = take_back(connection, number, series)
    finally:
        store.close()
    typer.echo(f"{gone} readings were taken back")
