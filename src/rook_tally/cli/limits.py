"""`rook-tally limit …`."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import typer
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.cli.changing import changing
from rook_tally.cli.selectors import chosen_series, station_named
from rook_tally.core.alarms.edits import hours_of
from rook_tally.core.alarms.sentences import hours_words
from rook_tally.core.errors import UsageError
from rook_tally.core.hours_of_day import HoursOfDay
from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.guidelines import Guideline
from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.limit_presets import LIMIT_PRESETS, presets_for
from rook_tally.core.quantities.limit_rules import (
    LimitOrigin,
    LimitScope,
    limits_in_force,
    limits_of,
    side_text,
    typed_side,
    with_hours,
)
from rook_tally.core.quantities.registry import QUANTITIES, quantity_named
from rook_tally.store.maintenance import existing_store, open_store
from rook_tally.store.site import Series, limit_rules, load_site, shown_units
from rook_tally.store.site.guidelines import guidelines
from rook_tally.store.site.site_reading import places_around
from rook_tally.store.workings import limits_set, workings
from rook_tally.store.workings import set_limits as set_limits_anywhere

_NO_SIDE = (None, None, None, None)


def list_limits(where: str, *, as_json: bool) -> None:
    """Print the limits in force of every series, and where they come from."""
    with existing_store(where) as store, store.read() as connection:
        site, rules, picked = (
            load_site(connection),
            limit_rules(connection),
            shown_units(connection),
        )
    series = site.series
    if as_json:
        typer.echo(msgspec.json.encode([_account(one) for one in series]).decode())
        return
    for one in series:
        told = _sides(one.limits, one.shown)
        typer.echo(
            f"{one.station.place.name:<20} {one.station.key:<20} {one.quantity.slug:<16} "
            f"{told or 'none':<48} {origin_words(one)}"
        )
    names = {one.id: one.name for one in site.places}
    for (slug, place_id), limits in rules.items():
        known = QUANTITIES[slug]
        told = _sides(limits, DisplayUnit(known, picked.get(slug, known.base)))
        typer.echo(f"set {_where(names.get(place_id or 0, ''), '')}: {slug} {told or 'none'}")
    if not series:
        typer.echo("no series yet: what is set holds from its first reading on")


def _account(one: Series) -> dict[str, object]:
    return {
        "place": one.station.place.name,
        "station": one.station.key,
        "field": one.field,
        "quantity": one.quantity.slug,
        "unit": one.shown.symbol,
        "above": [_shown(limit, one.shown) for limit in one.limits.above],
        "below": [_shown(limit, one.shown) for limit in one.limits.below],
        "at_hours": [
            {
                "hours": hours_words(each.hours),
                "above": [_shown(limit, one.shown) for limit in each.above],
                "below": [_shown(limit, one.shown) for limit in each.below],
            }
            for each in one.limits.by_hours
        ],
        "from": one.limits_from.value,
        "from_place": one.limits_place or None,
    }


def _shown(limit: float | None, told: DisplayUnit) -> float | None:
    return None if limit is None else round(float(told.value(limit)), 9)


def _sides(limits: Limits, told: DisplayUnit) -> str:
    pairs = (("above", limits.above), ("below", limits.below))
    texts = [f"{name} {side_text(side, told)}" for name, side in pairs if any_of(side)]
    words = ", ".join(texts) + (f" {told.symbol}" if texts and told.symbol else "")
    at_hours = [
        f"{hours_words(one.hours)} {_sides(Limits(one.above, one.below), told) or 'none'}"
        for one in limits.by_hours
    ]
    return "; ".join([words or "none", *at_hours]) if at_hours else words


def any_of(side: tuple[float | None, ...]) -> bool:
    """True if a side has any limit."""
    return any(one is not None for one in side)


def origin_words(one: Series) -> str:
    """Where a series' limits come from."""
    words = {
        LimitOrigin.SERIES: "set for this series",
        LimitOrigin.PLACE: f"set for {one.limits_place}",
        LimitOrigin.SITE: "set for the whole site",
        LimitOrigin.WORKING: "of its working",
        LimitOrigin.QUANTITY: "what comes with the quantity",
    }
    return words[one.limits_from]


def list_presets(where: str, quantity: str) -> None:
    """Print published limits, of a quantity or all, with their sources."""
    with open_store(where) as store, store.read() as connection:
        picked, known = shown_units(connection), guidelines(connection)
    if quantity:
        quantity_named(quantity)
    several: list[str] = [one.quantity for one in LIMIT_PRESETS]
    several += [one.quantity for one in known]
    names = [quantity] if quantity else [one for one in dict.fromkeys(several) if one]
    for one in dict.fromkeys(one for name in names for one in presets_for(name, known)):
        sides = ""
        if one.quantity:
            told = QUANTITIES[one.quantity]
            sides = _sides(one.limits, DisplayUnit(told, picked.get(told.slug, told.base)))
        typer.echo(f"{one.name:<26} {one.quantity:<14} {sides or 'none'}\n    {one.source}")


def set_limits(
    where: str,
    quantity: str,
    *,
    place: str,
    station: str,
    above: str | None,
    below: str | None,
    preset: str | None,
    hours: str = "",
) -> None:
    """Set limits for the site, a place or a station; of the whole day, or at some hours.

    Raises
    ------
    UsageError
        When nothing was told, or what was told cannot be limits.
    """
    if preset is not None and (above is not None or below is not None):
        raise UsageError("a preset has both sides", remedy="give --preset, or --above and --below")
    if preset is None and above is None and below is None:
        raise UsageError(
            "no limits were told", remedy='give --above "raised=1000", --below, or --preset'
        )
    with changing(where) as connection:
        scope, told = _scope(connection, quantity, place, station)
        if preset is not None:
            limits = _preset(preset, quantity, guidelines(connection))
        else:
            limits = limits_of(
                _NO_SIDE if above is None else typed_side(above, told),
                _NO_SIDE if below is None else typed_side(below, told),
            )
        there = limits_set(connection, scope)
        if hours:
            limits = with_hours(there or _around(connection, scope), _hours(hours), limits)
        elif there is not None:
            # What holds at some hours stays; it is set and cleared by itself.
            limits = replace(limits, by_hours=there.by_hours)
        set_limits_anywhere(connection, scope, limits)
    typer.echo(f"{quantity} {_where(place, station)}: {_sides(limits, told) or 'no limits'}")


def clear_limits(where: str, quantity: str, *, place: str, station: str, hours: str = "") -> None:
    """Take back what was set there, or what was set there for some hours.

    Raises
    ------
    UsageError
        When nothing is set there.
    """
    with changing(where) as connection:
        scope, _ = _scope(connection, quantity, place, station)
        if hours:
            told = with_hours(limits_set(connection, scope), _hours(hours), None)
            set_limits_anywhere(connection, scope, told)
        elif set_limits_anywhere(connection, scope, None) is None:
            raise UsageError(
                f"no limits of {quantity} are set {_where(place, station)}",
                kept="nothing was changed",
                remedy="`rook-tally limit list` says where those in force come from",
            )
    typer.echo(f"{quantity} {_where(place, station)}: what was set is taken back")


def _around(connection: Connection, scope: LimitScope) -> Limits:
    """Return the limits in force in a scope that has none of its own; its other hours keep them."""
    site = load_site(connection)
    for one in site.series:
        if scope.series_id == one.id or (scope.working and scope.working == one.quantity.slug):
            return one.limits.in_zone("")
    quantity = QUANTITIES[scope.quantity]
    here = next((one for one in site.places if one.name == scope.place), None)
    if here is None:
        return quantity.limits
    around = places_around({one.id: one for one in site.places})
    return limits_in_force(
        quantity,
        indoors=here.indoors,
        own=None,
        rules=limit_rules(connection),
        places=around[here.id],
    ).limits


def _hours(text: str) -> HoursOfDay:
    hours = hours_of(text)
    if hours is None:
        raise UsageError(
            f"{text!r} are all hours", remedy="leave --hours out, or write such as 22:00-06:00"
        )
    return hours


def _preset(name: str, quantity: str, guidelines: Sequence[Guideline]) -> Limits:
    several = presets_for(quantity, guidelines)
    found = next((one for one in several if one.name == name), None)
    if found is None:
        known = ", ".join(one.name for one in several)
        raise UsageError(f"{quantity} has no preset {name!r}", remedy=f"choose one of: {known}")
    return found.limits


def _scope(
    connection: Connection, quantity: str, place: str, station: str
) -> tuple[LimitScope, DisplayUnit]:
    """For what limits are set, and the unit they are told in."""
    if place and station:
        raise UsageError("a station stands at its place", remedy="give --place or --station")
    site = load_site(connection)
    if not station and quantity not in QUANTITIES:
        found = [one for one in site.series if one.quantity.slug == quantity]
        if any(one.slug == quantity for one in workings(connection)) and found:
            if place:
                raise UsageError(
                    f"{quantity} is worked out, with the same limits everywhere",
                    remedy="leave --place out",
                )
            return LimitScope(quantity=quantity, working=quantity), found[0].shown
    if not station:
        known = quantity_named(quantity)
        unit = shown_units(connection).get(quantity, known.base)
        return LimitScope(quantity=quantity, place=place), DisplayUnit(known, unit)
    station_named(site, station)
    found = chosen_series(site, station, quantity)
    if len(found) != 1:
        what = "does not tell" if not found else "has several series of"
        raise UsageError(
            f"{station} {what} {quantity}", remedy=f"`rook-tally station show {station}` lists them"
        )
    return LimitScope(quantity=quantity, series_id=found[0].id), found[0].shown


def _where(place: str, station: str) -> str:
    return f"of {station}" if station else f"at {place}" if place else "on the whole site"
