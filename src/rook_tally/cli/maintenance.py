"""`rook-tally backup`, `restore`, `check` and `compact`."""

from __future__ import annotations

import time
from pathlib import Path

import typer
from msgspec.structs import replace

from rook_tally.cli.progress_line import progress_line
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.number_format import age
from rook_tally.store.maintenance import existing_store
from rook_tally.store.maintenance.backup_schedule import (
    backup_schedule,
    last_backup,
    schedule_into,
    set_backup_schedule,
)
from rook_tally.store.maintenance.copies import back_up, restore
from rook_tally.store.maintenance.future_readings import readings_ahead, set_aside_ahead
from rook_tally.store.maintenance.inspection import compact, verify


def write_backup(where: str, target: Path) -> None:
    """Copy the store to a file while it is in use."""
    with existing_store(where) as store, progress_line("copying") as progress:
        found = back_up(store, target, progress=progress)
    for line in found.damage:
        typer.echo(f"damaged in the store, and so in the copy: {line}")
    typer.echo(
        f"{target}: {target.stat().st_size / 1e6:.1f} MB, {found.readings} readings, read back"
    )


def schedule_backups(where: str, folder: str) -> None:
    """Have a copy made every day into a folder, or no longer (`off`)."""
    told = schedule_into(folder) if folder != "off" else None
    schedule = None
    with existing_store(where) as store:
        if store.path is None:
            raise UsageError(f"{where} is a server's database", remedy="use the server's own tools")
        with store.write() as connection:
            if told is not None:
                # How many stay is set elsewhere.
                before = backup_schedule(connection) or told
                schedule = replace(before, folder=told.folder)
            set_backup_schedule(connection, schedule)
    if schedule is None:
        typer.echo("no daily copies are made any more; those there are stay")
        return
    typer.echo(
        f"a copy a day into {schedule.folder}, by whatever collector runs; {schedule.daily} days, "
        f"{schedule.weekly} weeks and {schedule.monthly} months of them stay"
    )


def print_backups(where: str) -> None:
    """Say where daily copies go, and how the last one went."""
    with existing_store(where) as store, store.read() as connection:
        schedule, last = backup_schedule(connection), last_backup(connection)
    if schedule is None:
        typer.echo("no daily copies are made; rook-tally backup --daily FOLDER begins them")
        return
    typer.echo(f"a copy a day into {schedule.folder}, from {schedule.from_hour:02d}:00 on")
    if last.made_us:
        made_s = time.time() - last.made_us / 1e6
        typer.echo(f"the last one {age(made_s)} ago: {last.path}")
    if last.trouble:
        typer.echo(f"none since: {last.trouble}")


def put_back(where: str, backup: Path) -> None:
    """Put a backup in the place of the store."""
    if "://" in where:
        raise UsageError(f"{where} is a server's database", remedy="use the server's own tools")
    moved = restore(backup, Path(where), now_us=time.time_ns() // 1000)
    typer.echo(f"{where} is as it was when {backup} was made")
    if moved is not None:
        typer.echo(f"what was there before stands in {moved}")


def check(where: str, *, mend: bool = False) -> int:
    """Look the store over; 1 when something is damaged, or ahead of the clock and not mended."""
    now_us = time.time_ns() // 1000
    with existing_store(where) as store:
        found = verify(store)
        ahead = (
            set_aside_ahead(store, now_us=now_us) if mend else readings_ahead(store, now_us=now_us)
        )
    for line in found.damage:
        typer.echo(line)
    verdict = "nothing is damaged" if not found.damage else f"{len(found.damage)} damaged"
    typer.echo(f"{found.readings} readings, {found.pages} sealed pages: {verdict}")
    if ahead:
        done = "are strays now" if mend else "set them aside with rook-tally check --mend"
        typer.echo(f"{ahead} readings lie ahead of now: {done}")
    return 1 if found.damage or (ahead and not mend) else 0


def make_small(where: str) -> None:
    """Give free space back to the disk."""
    store = existing_store(where)
    before, after = compact(store)
    typer.echo(f"{where}: {before / 1e6:.1f} MB before, {after / 1e6:.1f} MB after")
