"""`rook-tally working …`."""

from __future__ import annotations

import csv
import sys
from pathlib import Path

import msgspec
import numpy as np
import typer

from rook_tally.cli.changing import changing
from rook_tally.clock import now_us
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.named_series import Group, slug_of
from rook_tally.core.quantities.series_settings import MOST_DECIMALS
from rook_tally.core.timestamps import rfc3339
from rook_tally.core.workings.checking import checked
from rook_tally.core.workings.definitions import Placement, Working
from rook_tally.core.workings.diagnostics import FormulaError
from rook_tally.core.workings.parsing import duration_s
from rook_tally.login import login_name
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import latest
from rook_tally.store.site import load_site
from rook_tally.store.site.change_history import noting_changes
from rook_tally.store.workings import (
    groups,
    inputs_of,
    names_of,
    remove_working,
    save_group,
    save_working,
    working_named,
    workings,
)


class _File(msgspec.Struct, frozen=True):
    """The content of a file of workings."""

    format: int
    workings: tuple[Working, ...]
    groups: tuple[tuple[str, tuple[str, ...]], ...]


_FORMAT = 1


def list_workings(where: str, *, as_json: bool) -> None:
    """Print every working and what it comes to."""
    with open_store(where) as store, store.read() as connection:
        site, known = load_site(connection), workings(connection)
        newest = latest(connection)
    told = []
    for one in known:
        series = [
            each
            for each in site.series
            if each.station.is_worked_out and each.quantity.slug == one.slug
        ]
        values = {
            each.station.place.name: newest[each.id].value for each in series if each.id in newest
        }
        formula = one.formula or "score of " + ", ".join(
            each.name for each in (one.score.inputs if one.score else ())
        )
        told.append(
            {
                "slug": one.slug,
                "name": one.name,
                "formula": formula,
                "unit": series[0].quantity.base.symbol if series else "",
                "places": [each.station.place.name for each in series],
                "values": values,
            }
        )
    if as_json:
        typer.echo(msgspec.json.encode(told).decode())
        return
    for row in told:
        shown_values = row["values"]
        assert isinstance(shown_values, dict)
        shown = ", ".join(f"{place} {value:.4g}" for place, value in shown_values.items())
        typer.echo(f"{row['slug']:<22} {row['formula']}")
        typer.echo(f"{'':<22} {shown or 'nothing yet'} {row['unit'] if shown else ''}".rstrip())


def add(where: str, name: str, formula: str, *, each_place: bool, group: str) -> None:
    """Keep a formula under a name."""
    slug = slug_of(name).replace("-", "_")
    made = Placement.EACH_PLACE if each_place else Placement.ONCE
    working = Working(slug=slug, name=name, formula=formula, made=made, group=group)
    store = open_store(where)
    try:
        with (
            store.write() as connection,
            noting_changes(connection, who=login_name(), now_us=now_us()),
        ):
            save_working(connection, working)
        with store.read() as connection:
            places = [
                one.station.place.name
                for one in load_site(connection).series
                if one.station.is_worked_out and one.quantity.slug == slug
            ]
    except FormulaError as error:
        raise UsageError(error.mistake.underlined(formula)) from error
    finally:
        store.close()
    typer.echo(f"{slug}: worked out at {', '.join(places)}")


def alter(
    where: str, slug: str, *, name: str | None, formula: str | None, decimals: str | None
) -> None:
    """Alter a working.

    Raises
    ------
    UsageError
        When there is none such, its formula is wrong, or nothing was told.
    """
    if (name, formula, decimals) == (None, None, None):
        raise UsageError("nothing was told", remedy="give --name, --formula or --decimals")
    places: int | None = None
    if decimals:
        if not decimals.isdigit() or int(decimals) > MOST_DECIMALS:
            raise UsageError(
                f"{decimals} decimals cannot be shown", remedy=f"give 0 to {MOST_DECIMALS}"
            )
        places = int(decimals)
    with changing(where) as connection:
        before = working_named(connection, slug)
        if formula is not None and before.score is not None:
            raise UsageError(f"{slug} is a score", remedy="alter its inputs in the window")
        after = msgspec.structs.replace(
            before,
            name=before.name if name is None else name,
            formula=before.formula if formula is None else formula,
            decimals=before.decimals if decimals is None else places,
        )
        try:
            save_working(connection, after)
        except FormulaError as error:
            raise UsageError(error.mistake.underlined(after.formula)) from error
    typer.echo(f"{slug}: {after.formula or 'a score'}")


def try_out(where: str, formula: str, *, last: str) -> None:
    """Print a formula's values over the last while."""
    span_us = round(duration_s(last) * 1e6)
    with open_store(where) as store, store.read() as connection:
        try:
            names = names_of(load_site(connection), groups(connection))
            check = checked(formula, names)
        except FormulaError as error:
            raise UsageError(error.mistake.underlined(formula)) from error
        end_us = now_us()
        start_us = end_us - span_us
        inputs = inputs_of(connection, check.program, start_us, end_us)
    for note in check.notes:
        typer.echo(f"{note.what}; {note.suggestion}", err=True)
    times, value = check.program.worked_out(inputs, start_us, end_us)
    kept, shown = check.shown.units[0], check.shown.preferred
    writer = csv.writer(sys.stdout)
    writer.writerow(["time", f"value ({shown.symbol})" if shown.symbol else "value"])
    known = np.isfinite(value)
    told = shown.from_base(kept.to_base(value[known]))
    for moment, one in zip(times[known].tolist(), told.tolist(), strict=True):
        writer.writerow([rfc3339(moment), f"{one:.6g}"])


def remove(where: str, slug: str) -> None:
    """Take a working away."""
    with changing(where, makes_store=True) as connection:
        gone = remove_working(connection, slug)
    typer.echo(f"{gone.name} is gone; what sensors said stays")


def export(where: str) -> None:
    """Print workings and groups."""
    with open_store(where) as store, store.read() as connection:
        told = _File(
            _FORMAT,
            tuple(workings(connection)),
            tuple((one.name, one.places) for one in groups(connection)),
        )
    typer.echo(msgspec.json.format(msgspec.json.encode(told)).decode())


def read(where: str, file: Path) -> None:
    """Keep what a file holds, all of it or nothing."""
    try:
        told = msgspec.json.decode(file.read_bytes(), type=_File)
    except OSError as error:
        raise UsageError(f"{file} cannot be read: {error.strerror}") from error
    except msgspec.MsgspecError as error:
        raise UsageError(
            f"{file} holds no workings: {error}",
            kept="nothing was changed",
            remedy="give a file that working export printed",
        ) from error
    if told.format > _FORMAT:
        raise UsageError(
            f"{file} was written by a newer rook-tally",
            kept="nothing was changed",
            remedy="bring this one up to date",
        )
    with changing(where, makes_store=True) as connection:
        for name, places in told.groups:
            save_group(connection, Group(name, places))
        for working in told.workings:
            try:
                save_working(connection, working)
            except FormulaError as error:
                raise UsageError(f"{working.name}: {error}", kept="nothing was changed") from error
    typer.echo(f"{len(told.workings)} workings and {len(told.groups)} groups kept")
