"""`rook-tally watch …` and `way …`."""

from __future__ import annotations

import re
from pathlib import Path
from zoneinfo import ZoneInfo

import msgspec
import typer

from rook_tally import clock
from rook_tally.cli.changing import changing
from rook_tally.core.alarms.channels import BUILT_IN, with_secrets_of
from rook_tally.core.alarms.definitions import Scope, Watch, WatchKind
from rook_tally.core.alarms.files import seconds_of, watches_from_toml, watches_to_toml
from rook_tally.core.alarms.sentences import sentence, short_words
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.named_series import slug_of
from rook_tally.core.quantities.number_format import age, duration
from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.timestamps import rfc3339
from rook_tally.store.alarms import (
    alarms,
    all_targets,
    backtest_result,
    remove_watch,
    save_channel,
    save_watch,
    watches,
    ways,
)
from rook_tally.store.maintenance import existing_store
from rook_tally.store.site import Site, load_site
from rook_tally.store.workings import groups

_AMOUNT = re.compile(r"\s*([-+−]?\d+(?:\.\d+)?)\s*(.*?)\s*")


def quantity_names(site: Site) -> dict[str, str]:
    """Names of what a site measures and works out, by slug."""
    return {one.quantity.slug: one.quantity.name for one in site.series}


def list_watches(where: str, *, as_json: bool) -> None:
    """Print every watch and how it stands."""
    with existing_store(where) as store, store.read() as connection:
        site, known = load_site(connection), watches(connection)
        standing = alarms(connection)
        found, troubles = all_targets(connection, site, known)
    names = quantity_names(site)
    now_us = clock.now_us()
    told = []
    for one in known:
        mine = [alarm for (slug, _), alarm in standing.items() if slug == one.slug]
        rung = [alarm.since_us for alarm in mine if alarm.since_us is not None]
        state = _state(one, [alarm.state.value for alarm in mine if alarm.is_standing])
        if one.slug in troubles:
            state = f"cannot be: {troubles[one.slug]}"
        elif not any(target.watch.slug == one.slug for target in found):
            state = "watches nothing that is there"
        told.append(
            {
                "slug": one.slug,
                "name": one.name,
                "state": state,
                "words": short_words(one, names.get(one.scope.quantity, one.scope.quantity)),
                "last_rang": rfc3339(max(rung)) if rung else None,
                "age": age((now_us - max(rung)) / 1e6) if rung else "",
            }
        )
    if as_json:
        typer.echo(msgspec.json.encode(told).decode())
        return
    for row in told:
        rang = f"rang {row['age']} ago" if row["age"] else "never rang"
        typer.echo(f"{row['slug']:<20} {row['state']:<24} {rang:<16} {row['words']}")


def _state(watch: Watch, states: list[str]) -> str:
    if not watch.is_on:
        return "off"
    order = ("unacknowledged", "acknowledged", "returned_unacknowledged", "shelved", "suppressed")
    return next((one.replace("_", " ") for one in order if one in states), "quiet")


def _named(known: list[Watch], slug: str) -> Watch:
    found = next((one for one in known if one.slug == slug), None)
    if found is None:
        names = ", ".join(one.slug for one in known) or "none"
        raise UsageError(f"there is no watch {slug}", remedy=f"there are: {names}")
    return found


def show(where: str, slug: str) -> None:
    """Print a watch in words."""
    with existing_store(where) as store, store.read() as connection:
        site = load_site(connection)
        watch = _named(watches(connection), slug)
    names = quantity_names(site)
    guards = tuple(names.get(one.scope.quantity, one.scope.quantity) for one in watch.guards)
    typer.echo(watch.name)
    for line in sentence(watch, names.get(watch.scope.quantity, watch.scope.quantity), guards):
        typer.echo("  " + re.sub(r" ([,;])", r"\1", " ".join(piece.text for piece in line)))


def amount_of(text: str, quantity: Quantity) -> tuple[float, str]:
    """A limit such as `25 µg/m³`, with the unit's symbol; UsageError for anything else."""
    found = _AMOUNT.fullmatch(text)
    unit = None if found is None else (quantity.unit(found[2]) if found[2] else quantity.base)
    if found is None or unit is None:
        raise UsageError(
            f"{text!r} is no amount of {quantity.name}",
            remedy=f"write a number and {' or '.join(one.symbol for one in quantity.units)}",
        )
    return float(found[1].replace("−", "-")), unit.symbol


def add(
    where: str,
    name: str,
    quantity: str,
    place: str,
    *,
    above: str,
    below: str,
    clear: float | None,
    for_: str,
    calm: str,
    tell: tuple[str, ...],
) -> None:
    """Keep a watch of a limit."""
    if bool(above) == bool(below):
        raise UsageError("a watch needs one limit", remedy="give --above or --below")
    with changing(where) as connection:
        site = load_site(connection)
        mine = [one for one in site.series if one.quantity.slug == quantity]
        if not mine:
            known = ", ".join(sorted(quantity_names(site)))
            raise UsageError(f"nothing here measures {quantity}", remedy=f"there is: {known}")
        limit, unit = amount_of(above or below, mine[0].quantity)
        places = {slug_of(one.name): one.name for one in site.places}
        known_groups = {slug_of(one.name) for one in groups(connection)}
        scope = Scope(
            quantity=quantity,
            place=places.get(slug_of(place), ""),
            group="" if slug_of(place) in places else place,
        )
        if scope.group and slug_of(place) not in known_groups | {
            "indoors",
            "outdoors",
            "everywhere",
        }:
            raise UsageError(
                f"there is no place {place}", remedy=f"there are: {', '.join(places.values())}"
            )
        watch = Watch(
            slug=slug_of(name),
            name=name,
            sort=WatchKind.ABOVE if above else WatchKind.BELOW,
            scope=scope,
            limit=limit,
            clear=clear,
            unit=unit,
            for_s=seconds_of(for_),
            calm_s=seconds_of(calm),
            tell=tell,
        )
        before = save_watch(connection, watch, now_us=clock.now_us())
    typer.echo(f"{watch.slug}: {'changed' if before else 'watched from now on'}")


def remove(where: str, slug: str) -> None:
    """Take a watch away."""
    with changing(where) as connection:
        gone = remove_watch(connection, slug)
    typer.echo(f"{gone.name} is gone; the journal stays")


def run_backtest(where: str, slug: str, *, last: str, as_json: bool) -> None:
    """Print what a watch would have done."""
    span_us = round(seconds_of(last) * 1e6)
    end_us = clock.now_us()
    with existing_store(where) as store, store.read() as connection:
        site = load_site(connection)
        watch = _named(watches(connection), slug)
        found, troubles = all_targets(connection, site, [watch])
        if slug in troubles:
            raise troubles[slug]
        told = [
            (
                target.series.place,
                backtest_result(connection, target, end_us - span_us, end_us, ZoneInfo(site.zone)),
            )
            for target in found
        ]
    if as_json:
        typer.echo(
            msgspec.json.encode(
                [
                    {
                        "place": place,
                        "rang": one.counts.rang,
                        "standing_s": one.counts.standing_us / 1e6,
                        "longest_s": one.counts.longest_us / 1e6,
                        "nuisances": one.counts.nuisances,
                        "without_wait": one.counts.without_wait,
                        "control_s": one.counts.ran_us / 1e6,
                        "rings": [
                            [rfc3339(begin), None if end is None else rfc3339(end)]
                            for begin, end in one.pairs()
                        ],
                    }
                    for place, one in told
                ]
            ).decode()
        )
        return
    if not told:
        typer.echo(f"{watch.name} watches nothing that is there")
    for place, one in told:
        counts = one.counts
        typer.echo(
            f"{place:<20} rang {counts.rang} times, stood {duration(counts.standing_us / 1e6)}, "
            f"at most {duration(counts.longest_us / 1e6)}, {counts.nuisances} likely nuisances"
            + (
                f", {watch.run.station} running {duration(counts.ran_us / 1e6)}"
                if watch.run
                else ""
            )
        )


def export(where: str) -> None:
    """Print watches and ways."""
    with existing_store(where) as store, store.read() as connection:
        own = [one for one in ways(connection) if one not in BUILT_IN]
        typer.echo(watches_to_toml(watches(connection), own), nl=False)


def read(where: str, file: Path) -> None:
    """Keep what a file holds, all of it or nothing."""
    try:
        told = watches_from_toml(file.read_text())
    except (OSError, UnicodeDecodeError) as error:
        raise UsageError(f"{file} cannot be read: {error}") from error
    with changing(where) as connection:
        known = {one.name: one for one in ways(connection)}
        for way in told.ways:
            save_channel(connection, with_secrets_of(way, known.get(way.name)))
        for watch in told.watches:
            save_watch(connection, watch, now_us=clock.now_us())
    typer.echo(f"{len(told.watches)} watches and {len(told.ways)} ways of telling kept")
