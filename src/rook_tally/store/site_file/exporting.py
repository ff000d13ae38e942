"""What a site is configured to be, as the content of a site file."""

from __future__ import annotations

from pathlib import Path

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.alarms.channels import BUILT_IN, Channel
from rook_tally.core.door_settings import without_password
from rook_tally.core.errors import UsageError
from rook_tally.core.plans import Plan
from rook_tally.core.quantities.limit_rules import LimitOrigin
from rook_tally.core.quantities.named_series import Group
from rook_tally.core.site_file.content import (
    FieldCorrection,
    FieldEntry,
    GroupEntry,
    LimitEntry,
    PlaceEntry,
    PlanEntry,
    PlanMarkEntry,
    SiteContent,
    SiteEntry,
    StationEntry,
)
from rook_tally.core.site_file.writing import site_to_toml
from rook_tally.store.alarms import watches, ways
from rook_tally.store.base import schema
from rook_tally.store.maintenance.settings_table import settings_said
from rook_tally.store.site.corrections import correction_entries
from rook_tally.store.site.display_units import units_picked
from rook_tally.store.site.door_settings import door_settings
from rook_tally.store.site.forwards import forwards, without_secret
from rook_tally.store.site.guidelines import own_guidelines
from rook_tally.store.site.kinds import own_kinds
from rook_tally.store.site.limit_rules import limit_rules
from rook_tally.store.site.plans import picture_numbered
from rook_tally.store.site.reports import reports
from rook_tally.store.site.site import Series, Site, Station
from rook_tally.store.site.site_reading import load_site
from rook_tally.store.site.wall_sheets import sheets
from rook_tally.store.site_file.bench_entries import bench_entries
from rook_tally.store.site_file.keys import firmware_entry, key_entries, page_entry
from rook_tally.store.workings import groups, workings


def content_of(connection: Connection, *, secrets: bool = False) -> SiteContent:
    """All that is configured. Passwords, and hashes of access keys, only where secrets are asked
    for."""
    site = load_site(connection)
    names = {one.id: one.name for one in site.places}
    return SiteContent(
        site=SiteEntry(name=site.name, zone=site.zone, settings=site.settings),
        units=units_picked(connection),
        settings=settings_said(connection),
        kinds=tuple(own_kinds(connection).values()),
        places=tuple(
            PlaceEntry(
                name=one.name, inside=names.get(one.parent_id or 0, ""), outdoors=not one.indoors
            )
            for one in site.places
        ),
        stations=_stations(connection, site, secrets=secrets),
        limits=tuple(
            LimitEntry(quantity=quantity, place=names.get(place_id or 0, ""), limits=limits)
            for (quantity, place_id), limits in sorted(
                limit_rules(connection).items(), key=lambda one: (one[0][0], one[0][1] or 0)
            )
        ),
        groups=tuple(_group(one, site) for one in groups(connection)),
        workings=tuple(workings(connection)),
        plans=tuple(_plan(connection, one, site) for one in site.plans),
        doors=tuple(
            one.settings if secrets else without_password(one.settings)
            for one in door_settings(connection)
        ),
        channels=tuple(_channels(connection, secrets=secrets)),
        watches=tuple(watches(connection)),
        sheets=tuple(sheets(connection)),
        bench=bench_entries(connection, site),
        guidelines=tuple(own_guidelines(connection)),
        reports=tuple(reports(connection)),
        forwards=tuple(one if secrets else without_secret(one) for one, _ in forwards(connection)),
        page=page_entry(connection, secrets=secrets),
        keys=key_entries(connection) if secrets else None,
        firmware=firmware_entry(connection) if secrets else None,
    )


def write_site_file(content: SiteContent, target: Path) -> None:
    """Write a site into a file, whole or not at all; one that is there keeps its comments.

    Raises
    ------
    UsageError
        When it cannot be written, or what is there is no TOML; the file stays as it is then.
    """
    try:
        is_there = target.exists()
        text = site_to_toml(content, target.read_text(encoding="utf-8") if is_there else "")
        beside = target.with_name(f".{target.name}.new")
        beside.touch(mode=0o600)
        beside.chmod(target.stat().st_mode if is_there else 0o600)
        beside.write_text(text, encoding="utf-8")
        beside.replace(target)
    except (OSError, UnicodeDecodeError) as error:
        raise UsageError(
            f"{target} cannot be written: {getattr(error, 'strerror', None) or error}",
            kept="it was left as it is",
            remedy="name another file",
        ) from error


def _stations(connection: Connection, site: Site, *, secrets: bool) -> tuple[StationEntry, ...]:
    table = schema.station.c
    rows = connection.execute(sa.select(table.id, table.learns_cadence))
    learns = {row.id: row.learns_cadence for row in rows}
    series: dict[int, list[Series]] = {}
    for one in site.series:
        series.setdefault(one.station.id, []).append(one)
    aliases: dict[int, list[str]] = {}
    for name, number in sorted(site.aliases.items()):
        aliases.setdefault(number, []).append(name)
    others: dict[int, list[str]] = {}
    for (_, name), series_id in sorted(site.other_names.items()):
        others.setdefault(series_id, []).append(name)

    keys = {one.id: one.key for one in (*site.stations, *site.retired)}

    def entry(one: Station) -> StationEntry:
        return StationEntry(
            key=one.key,
            place=one.place.name,
            kind=one.kind.slug,
            cadence_s=None if learns[one.id] else one.cadence_s,
            notes=one.notes,
            latitude=one.latitude,
            longitude=one.longitude,
            aliases=tuple(aliases.get(one.id, ())),
            retired_us=one.retired_us,
            past_of=keys.get(one.past_of or 0, ""),
            maintenance_us=one.maintenance,
            hangs=one.hangs,
            photograph=None
            if one.photograph_id is None
            else picture_numbered(connection, one.photograph_id),
            access_hash=(one.access_hash or "") if secrets else "",
            broker_hash=(one.broker_hash or "") if secrets else "",
            fields=tuple(
                _field(connection, each, tuple(others.get(each.id, ())))
                for each in series.get(one.id, ())
            ),
        )

    return tuple(entry(one) for one in (*site.stations, *site.retired))


def _field(connection: Connection, one: Series, names: tuple[str, ...]) -> FieldEntry:
    return FieldEntry(
        name=one.field,
        quantity=one.quantity.slug,
        unit=one.unit,
        names=names,
        limits=one.limits.in_zone("") if one.limits_from is LimitOrigin.SERIES else None,
        settings=one.settings,
        corrections=tuple(
            FieldCorrection(
                from_us=each.correction.from_us,
                gain=each.correction.gain,
                offset=each.correction.offset,
                who=each.who,
                why=each.why,
                uncertainty=each.uncertainty,
            )
            for each in correction_entries(connection, one.id)
        ),
    )


def _plan(connection: Connection, one: Plan, site: Site) -> PlanEntry:
    keys = {each.id: each.key for each in (*site.stations, *site.retired)}
    return PlanEntry(
        name=one.name,
        picture=picture_numbered(connection, one.picture_id) or b"",
        marks=tuple(
            PlanMarkEntry(station=keys[number], at=at)
            for number, at in one.marks.items()
            if number in keys
        ),
    )


def _group(one: Group, site: Site) -> GroupEntry:
    known = {each.id: (each.station.key, each.field) for each in site.series}
    series = tuple(known[number] for number in one.series if number in known)
    return GroupEntry(name=one.name, places=one.places, series=series)


def _channels(connection: Connection, *, secrets: bool) -> list[Channel]:
    """The channels, but those of every site that nobody has changed."""
    changed = [one for one in ways(connection) if one not in BUILT_IN]
    if secrets:
        return changed
    return [msgspec.structs.replace(one, password="", secret="", apart="") for one in changed]
