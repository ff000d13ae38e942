"""Binding workings: their names to series of the site, and the series they fill.

Series are begun for places that have what a working wants, and what rests on something else than
before is due from its first reading on.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

import msgspec
import sqlalchemy as sa
from msgspec.structs import replace as replace_fields
from sqlalchemy.engine import Connection

from rook_tally.core.quantities.named_series import Group, NamedSeries
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.workings.definitions import Working
from rook_tally.core.workings.diagnostics import FormulaError
from rook_tally.core.workings.symbols import SITE, SymbolTable
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.base.recompute_queue import ALWAYS_US, add_due, drop_due
from rook_tally.store.site.configuration import add_place
from rook_tally.store.site.site import WORKED_KIND, Series, Site
from rook_tally.store.site.site_reading import load_site
from rook_tally.store.workings.stored_workings import groups, workings

if TYPE_CHECKING:
    from rook_tally.core.workings.binding import Bound


def names_of(site: Site, in_groups: Sequence[Group], here: str | None = None) -> SymbolTable:
    """The names that formulas may refer to in a site, the results of workings among them."""
    series = [named(one) for one in _referable(site)]
    results = {one.quantity.slug: one.quantity for one in site.series if one.station.is_worked_out}
    return SymbolTable(
        series,
        {**QUANTITIES, **results},
        in_groups,
        here,
        tuple(place.name for place in site.places),
        site_facts(site),
    )


def site_facts(site: Site) -> dict[str, tuple[float, str]]:
    """What formulas may ask of the site itself, with units; degrees are plain numbers."""
    told = site.settings
    facts = {
        "height": (told.height_m, "m"),
        "latitude": (told.latitude, ""),
        "longitude": (told.longitude, ""),
    }
    return {name: (value, unit) for name, (value, unit) in facts.items() if value is not None}


def _referable(site: Site) -> Sequence[Series]:
    """All series but those of stations out of use where one in use tells the same: formulas mean
    that."""
    if not site.retired:
        return site.series
    told = {
        (one.quantity.slug, one.station.place.id)
        for one in site.series
        if one.station.retired_us is None
    }
    return [
        one
        for one in site.series
        if one.station.retired_us is None or (one.quantity.slug, one.station.place.id) not in told
    ]


def named(one: Series) -> NamedSeries:
    """A series as references see it."""
    station = one.station
    return NamedSeries(
        one.id,
        one.quantity,
        station.place.name,
        station.place.indoors,
        station.key,
        one.field,
        station.cadence_s,
        station.is_worked_out,
        station.maintenance,
    )


def bound_workings(connection: Connection, site: Site) -> list[tuple[Series, Bound]]:
    """Every series of a working with how it is worked out, those that rest on others after them."""
    bound, _ = _all_bound(workings(connection), names_of(site, groups(connection)))
    by_key = {one.station.key: one for one in site.series if one.station.is_worked_out}
    return [(by_key[key], one) for one in bound if (key := worked_key(one)) in by_key]


def worked_key(bound: Bound) -> str:
    """The key of the station that stands for a working at a place; no real station has an @."""
    from rook_tally.core.quantities.named_series import slug_of

    return f"{bound.working.slug}@{slug_of(bound.place)}"


def _all_bound(
    several: Sequence[Working], names: SymbolTable
) -> tuple[list[Bound], dict[str, FormulaError]]:
    """Workings bound in the order they rest on one another, and why others cannot be."""
    from rook_tally.core.workings.binding import bound
    from rook_tally.core.workings.dependencies import in_order

    found: list[Bound] = []
    troubles: dict[str, FormulaError] = {}
    for working in in_order(several):
        try:
            made = bound(working, names)
        except FormulaError as error:
            troubles[working.slug] = error
            continue
        found += made
        names = _with(names, made)
    return found, troubles


def _with(names: SymbolTable, made: Iterable[Bound]) -> SymbolTable:
    """Names that know what a working gives as it is now, for those that rest on it."""
    ours = {worked_key(one): one for one in made}
    series, quantities = [], dict(names.quantities)
    for one in names.series:
        fresh = ours.get(one.station)
        if fresh is not None:
            one = replace_fields(one, quantity=fresh.result.quantity, cadence_s=fresh.cadence_s)
        series.append(one)
    for fresh in ours.values():
        quantities[fresh.working.slug] = fresh.result.quantity
    return replace(names, series=series, quantities=quantities)


def bind_workings(connection: Connection) -> dict[str, FormulaError]:
    """Bring the series of workings up to what the site has now; returns what cannot be worked out,
    by slug. Nothing is written where nothing changed."""
    troubles: dict[str, FormulaError] = {}
    # Once more when series were begun: others may rest on them.
    for _ in range(_DEEPEST):
        site = load_site(connection)
        bound, troubles = _all_bound(workings(connection), names_of(site, groups(connection)))
        if not _brought_up(connection, site, bound, troubles):
            break
    return troubles


def has_workings(connection: Connection) -> bool:
    """True if there is a working, or what one has left."""
    table, of_workings = schema.station, schema.station.c.kind == WORKED_KIND
    found = (
        connection.execute(sa.select(sa.exists(sa.select(schema.working.c.id)))).scalar()
        or connection.execute(
            sa.select(sa.exists(sa.select(table.c.id).where(of_workings)))
        ).scalar()
    )
    return bool(found)


_DEEPEST = 20


def _brought_up(
    connection: Connection, site: Site, bound: Sequence[Bound], troubles: Mapping[str, FormulaError]
) -> bool:
    """Begin, alter and end series; whether series were begun."""
    have = {one.station.key: one for one in site.series if one.station.is_worked_out}
    numbers = {
        row.slug: row.id
        for row in connection.execute(sa.select(schema.working.c.slug, schema.working.c.id))
    }
    from rook_tally.core.workings.binding import WHOLE_SITE

    wanted = {worked_key(one): one for one in bound}
    has_begun = has_altered = False
    for key, series in have.items():
        if key not in wanted and series.quantity.slug not in troubles:
            end_series(connection, series.id)
            has_altered = True
    missing = [one for key, one in wanted.items() if key not in have]
    # One that rests on another that is only begun now stands where that does, not at no place.
    waits = any(one.place != WHOLE_SITE for one in missing)
    for key, one in wanted.items():
        known = have.get(key)
        if known is None and waits and one.place == WHOLE_SITE:
            continue
        if known is None:
            _begin_series(connection, numbers[one.working.slug], key, one, site)
            has_begun = True
        else:
            has_altered |= _altered(connection, numbers[one.working.slug], known, one, site)
    if has_begun or has_altered:
        note_change(connection, Subject.SITE)
        note_change(connection, Subject.WORKINGS)
    return has_begun


def _made_from(bound: Bound, site: Site) -> str:
    """The text that identifies a working's computation: another text means other values."""
    working = bound.working
    formula = (
        working.formula if working.score is None else msgspec.json.encode(working.score).decode()
    )
    if f"@{SITE}" in formula:
        formula = f"{formula} {sorted(site_facts(site).items())}"
    inputs = sorted((one.series_id, one.held_us, one.gap_us) for one in bound.program.inputs)
    kept_in = bound.result.units[0]
    return repr((formula, inputs, kept_in.symbol, kept_in.factor))


def _begin_series(
    connection: Connection, working_id: int, key: str, bound: Bound, site: Site
) -> None:
    place_id = add_place(connection, bound.place)
    position = connection.execute(
        sa.select(sa.func.count()).select_from(schema.station)
    ).scalar_one()
    station = connection.execute(
        sa.insert(schema.station).values(
            key=key,
            place_id=place_id,
            kind=WORKED_KIND,
            cadence_s=bound.cadence_s,
            access_hash=None,
            broker_hash=None,
            position=position,
        )
    ).inserted_primary_key
    assert station is not None
    series = connection.execute(
        sa.insert(schema.series).values(
            station_id=station[0],
            field=bound.working.slug,
            quantity=bound.working.slug,
            unit=bound.result.units[0].symbol,
            limits=None,
        )
    ).inserted_primary_key
    assert series is not None
    connection.execute(
        sa.insert(schema.worked).values(
            series_id=series[0],
            working_id=working_id,
            place=bound.place,
            result=msgspec.json.encode(bound.result).decode(),
            made_from=_made_from(bound, site),
        )
    )
    _rest_on(connection, int(series[0]), bound)


def _rest_on(connection: Connection, series_id: int, bound: Bound) -> None:
    """Write down what a series uses; all of it is due."""
    table = schema.working_input
    connection.execute(sa.delete(table).where(table.c.series_id == series_id))
    rows = [
        {"series_id": series_id, "input_id": one, "reach_us": bound.program.reach_us}
        for one in bound.program.series_ids
    ]
    if rows:
        connection.execute(sa.insert(table), rows)
    drop_due(connection, series_id)
    add_due(connection, series_id, 0, ALWAYS_US)


def _altered(
    connection: Connection, working_id: int, series: Series, bound: Bound, site: Site
) -> bool:
    table = schema.worked
    row = connection.execute(
        sa.select(table.c.result, table.c.made_from).where(table.c.series_id == series.id)
    ).one()
    result, made_from = msgspec.json.encode(bound.result).decode(), _made_from(bound, site)
    if (row.result, row.made_from) == (result, made_from):
        return False
    connection.execute(
        sa.update(table)
        .where(table.c.series_id == series.id)
        .values(result=result, made_from=made_from, working_id=working_id)
    )
    connection.execute(
        sa.update(schema.series)
        .where(schema.series.c.id == series.id)
        .values(unit=bound.result.units[0].symbol)
    )
    connection.execute(
        sa.update(schema.station)
        .where(schema.station.c.id == series.station.id)
        .values(cadence_s=bound.cadence_s)
    )
    if row.made_from != made_from:
        _rest_on(connection, series.id, bound)
    return True


def end_series(connection: Connection, series_id: int) -> None:
    """Take a series of a working away with all it held; it can be worked out again."""
    station_id = connection.execute(
        sa.select(schema.series.c.station_id).where(schema.series.c.id == series_id)
    ).scalar_one()
    for table in (
        schema.reading,
        *schema.PAGES,
        schema.correction,
        schema.reference_point,
        schema.overruling,
        schema.working_input,
        schema.due,
        schema.worked,
    ):
        connection.execute(sa.delete(table).where(table.c.series_id == series_id))
    connection.execute(sa.delete(schema.series).where(schema.series.c.id == series_id))
    connection.execute(sa.delete(schema.station).where(schema.station.c.id == station_id))
