"""A site brought to what a site file says: all of it or nothing, in the caller's transaction."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.alarms.channels import with_secrets_of
from rook_tally.core.errors import RookTallyError, UsageError
from rook_tally.core.forwards.definitions import Forward
from rook_tally.core.plans import checked_picture
from rook_tally.core.quantities.limit_rules import LimitOrigin, LimitScope
from rook_tally.core.series.corrections import Correction
from rook_tally.core.site_file.content import (
    FieldEntry,
    LimitEntry,
    PlanEntry,
    SiteContent,
    StationEntry,
)
from rook_tally.core.workings.definitions import Working
from rook_tally.store.alarms import save_watch, watches
from rook_tally.store.alarms.watches import save_channel, ways
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.base.credentials import NO_KEY, Credentials
from rook_tally.store.maintenance.settings_table import write_settings
from rook_tally.store.readings.field_meaning import settle_field
from rook_tally.store.site.configuration import (
    add_station,
    check_key_is_free,
    continue_field,
    describe_station,
    insert_series,
    set_site,
    settle_site,
)
from rook_tally.store.site.corrections import (
    add_correction,
    corrected_series,
    correction_entries,
    withdraw_correction,
)
from rook_tally.store.site.display_units import write_units
from rook_tally.store.site.door_settings import put_doors
from rook_tally.store.site.forwards import forwards, save_forward, with_secret_of
from rook_tally.store.site.guidelines import own_guidelines, save_guideline
from rook_tally.store.site.kinds import keep_kind, kinds, own_kinds
from rook_tally.store.site.limit_rules import limit_rules, set_limits_of
from rook_tally.store.site.places import arrange_places
from rook_tally.store.site.plans import (
    describe_where,
    hang,
    keep_picture,
    picture_numbered,
    put_plan,
    remove_plan,
    unhang,
)
from rook_tally.store.site.reports import reports, save_report
from rook_tally.store.site.site import Series, Station
from rook_tally.store.site.site_reading import load_site
from rook_tally.store.site.station_lives import any_station
from rook_tally.store.site.station_settings import settle_station
from rook_tally.store.site.wall_sheets import save_sheet, sheets
from rook_tally.store.site_file.bench_entries import put_bench_entries
from rook_tally.store.site_file.keys import put_firmware_key, put_keys, put_page
from rook_tally.store.site_file.taking_away import (
    group_of_entry,
    put_in_order,
    take_away,
    take_watches_away,
)
from rook_tally.store.workings import bind_workings, groups, save_group, workings, write_working

_KEPT = "nothing was changed"

_MOST_BYTES = 16_000_000


def put_content(connection: Connection, content: SiteContent, *, who: str, now_us: int) -> None:
    """Bring a site to what a file says. A part that is in the file is all there is of it: what the
    site has beyond that goes. Stations, and places where something stands, are never taken away;
    that is for whoever means to part with their readings.

    Raises
    ------
    UsageError
        With what it is about; the caller's transaction is to be undone then.
    """
    for kind in content.kinds or ():
        if own_kinds(connection).get(kind.slug) != kind:
            keep_kind(connection, kind)
    if content.places is not None:
        arrange_places(connection, content.places)
    if content.stations is not None:
        _put_stations(connection, content.stations, now_us=now_us)
        _put_fields(connection, content.stations, who=who, now_us=now_us)
    if content.plans is not None:
        _put_plans(connection, content.plans, now_us=now_us)
    if content.site is not None:
        set_site(connection, name=content.site.name, zone=content.site.zone)
        settle_site(connection, content.site.settings)
    if content.units is not None:
        write_units(connection, content.units)
    if content.settings is not None:
        write_settings(connection, content.settings)
    if content.limits is not None:
        _put_limits(connection, content.limits)
    if content.doors is not None:
        put_doors(connection, content.doors)
    _put_definitions(connection, content, who=who, now_us=now_us)
    if content.page is not None:
        put_page(connection, content.page, now_us=now_us)
    if content.keys is not None:
        put_keys(connection, content.keys, who=who, now_us=now_us)
    if content.firmware is not None:
        put_firmware_key(connection, content.firmware)
    if content.bench is not None:
        put_bench_entries(connection, content.bench)
    take_away(connection, content)


def text_of(file: Path) -> str:
    """The text of a site file.

    Raises
    ------
    UsageError
        When it cannot be read, or is none.
    """
    try:
        if file.stat().st_size > _MOST_BYTES:
            raise UsageError(f"{file} is too large to be a site file", kept=_KEPT)
        return file.read_text(encoding="utf-8")
    except UnicodeDecodeError as error:
        raise UsageError(
            f"{file} is no text in UTF-8", kept=_KEPT, remedy="save it as UTF-8"
        ) from error
    except OSError as error:
        raise UsageError(
            f"{file} cannot be read: {error.strerror}",
            kept=_KEPT,
            remedy="name a site file; `rook-tally site ready-made` lists those that come along",
        ) from error


def _put_stations(connection: Connection, wanted: Sequence[StationEntry], *, now_us: int) -> None:
    """The stations themselves. Read once before and once after those that are new, not once for
    each: a site may have a thousand."""
    site, known = load_site(connection), kinds(connection)
    there = {each.key for each in (*site.stations, *site.retired)}
    for one in wanted:
        kind = known.get(one.kind)
        if kind is None:
            raise UsageError(
                f"station {one.key}: there is no kind {one.kind}",
                remedy="name it in the file as well",
            )
        if one.key not in there:
            keyed = Credentials(one.access_hash, one.broker_hash) if one.access_hash else NO_KEY
            add_station(
                connection,
                one.key,
                place=one.place,
                kind=kind,
                cadence_s=one.cadence_s,
                credentials=keyed,
            )
    site = load_site(connection)
    table = schema.station
    rows = connection.execute(sa.select(table.c.id, table.c.learns_cadence))
    learns = {row.id: row.learns_cadence for row in rows}
    for one in wanted:
        station = any_station(site, one.key)
        is_learned = one.cadence_s is None
        settle_station(
            connection,
            station,
            place=None if one.place == station.place.name else one.place,
            kind=None if one.kind == station.kind.slug else one.kind,
            cadence_s=None
            if one.cadence_s == station.cadence_s and not learns[station.id]
            else one.cadence_s,
        )
        past_of = any_station(site, one.past_of).id if one.past_of else None
        begin, end = one.maintenance_us or (None, None)
        said = (is_learned, one.retired_us, past_of, one.maintenance_us)
        if said != (learns[station.id], station.retired_us, station.past_of, station.maintenance):
            connection.execute(
                sa.update(table)
                .where(table.c.id == station.id)
                .values(
                    learns_cadence=is_learned,
                    retired_us=one.retired_us,
                    past_of=past_of,
                    maintenance_from_us=begin,
                    maintenance_to_us=end,
                )
            )
            note_change(connection, Subject.SITE)
        told = (one.notes, one.latitude, one.longitude)
        if told != (station.notes, station.latitude, station.longitude):
            describe_station(
                connection, station, notes=told[0], latitude=told[1], longitude=told[2]
            )
        _put_aliases(connection, station, one.aliases)
        _put_photograph(connection, station, one, now_us=now_us)


def _put_photograph(
    connection: Connection, station: Station, one: StationEntry, *, now_us: int
) -> None:
    number = None
    if one.photograph is not None:
        number = keep_picture(connection, checked_picture(one.photograph), now_us=now_us)
    if (one.hangs, number) != (station.hangs, station.photograph_id):
        describe_where(connection, station.id, words=one.hangs, photograph=number)


def _put_aliases(connection: Connection, station: Station, wanted: Iterable[str]) -> None:
    alias, names = schema.station_alias, set(wanted)
    mine = sa.select(alias.c.name).where(alias.c.station_id == station.id)
    there = set(connection.execute(mine).scalars())
    for name in there - names:
        connection.execute(sa.delete(alias).where(alias.c.name == name))
    for name in sorted(names - there):
        check_key_is_free(connection, name)
        connection.execute(sa.insert(alias).values(name=name, station_id=station.id))


def _put_fields(
    connection: Connection, wanted: Sequence[StationEntry], *, who: str, now_us: int
) -> None:
    """Their fields: begun where they are new, with limits, names and corrections."""
    site = load_site(connection)
    there = {(one.station.id, one.field): one for one in site.series}
    stations = {one.key: one for one in (*site.stations, *site.retired)}
    corrected = corrected_series(connection)
    for entry in wanted:
        station = stations[entry.key]
        for one in entry.fields:
            series = there.get((station.id, one.name))
            if series is None:
                number = insert_series(
                    connection,
                    station,
                    field=one.name,
                    quantity=one.quantity,
                    unit=one.unit,
                    limits=one.limits,
                    settings=one.settings,
                )
            else:
                number = series.id
                _check_meaning(series, one)
                is_own = series.limits_from is LimitOrigin.SERIES
                own = series.limits.in_zone("") if is_own else None
                if own != one.limits:
                    scope = LimitScope(quantity=one.quantity, series_id=number)
                    set_limits_of(connection, scope, one.limits)
                if series.settings != one.settings:
                    settle_field(connection, series, one.settings)
            for name in one.names:
                if site.other_names.get((station.id, name)) != number:
                    continue_field(connection, station, name, number)
            if one.corrections or number in corrected:
                _put_corrections(connection, number, one, who=who, now_us=now_us)


def _check_meaning(series: Series, one: FieldEntry) -> None:
    if (series.quantity.slug, series.unit) != (one.quantity, one.unit):
        raise UsageError(
            f"station {series.station.key}: {one.name} has measured {series.quantity.name} in "
            f"{series.unit or 'no unit'}",
            kept="nothing was changed",
            remedy="let the file say so too, or map it anew first: `rook-tally field set`",
        )


def _put_corrections(
    connection: Connection, series_id: int, one: FieldEntry, *, who: str, now_us: int
) -> None:
    wanted = {
        (Correction(each.from_us, each.gain, each.offset), each.who, each.why, each.uncertainty)
        for each in one.corrections
    }
    there = {
        (each.correction, each.who, each.why, each.uncertainty): each.id
        for each in correction_entries(connection, series_id)
    }
    for told, number in there.items():
        if told not in wanted:
            withdraw_correction(connection, number)
    for correction, by, why, uncertainty in sorted(
        wanted - there.keys(), key=lambda each: each[0].from_us
    ):
        add_correction(
            connection,
            series_id,
            correction,
            who=by or who,
            why=why,
            now_us=now_us,
            uncertainty=uncertainty,
        )


def _put_plans(connection: Connection, wanted: Sequence[PlanEntry], *, now_us: int) -> None:
    site = load_site(connection)
    ids = {one.key: one.id for one in (*site.stations, *site.retired)}
    before = {one.name: one for one in site.plans}
    for one in wanted:
        known = before.pop(one.name, None)
        if known is None or picture_numbered(connection, known.picture_id) != one.picture:
            put_plan(connection, one.name, one.picture, now_us=now_us)
        hung = dict(known.marks) if known is not None else {}
        for mark in one.marks:
            number = ids.get(mark.station)
            if number is None:
                raise UsageError(f"plan {one.name}: there is no station {mark.station}")
            if hung.pop(number, None) != mark.at:
                hang(connection, one.name, number, mark.at)
        for number in hung:
            unhang(connection, one.name, number)
    for name in before:
        remove_plan(connection, name)


def _put_limits(connection: Connection, wanted: Sequence[LimitEntry]) -> None:
    names: dict[int | None, str] = {one.id: one.name for one in load_site(connection).places}
    names[None] = ""
    told = {(one.quantity, one.place): one.limits for one in wanted}
    for (quantity, place_id), limits in limit_rules(connection).items():
        scope = LimitScope(quantity=quantity, place=names[place_id])
        if (quantity, scope.place) not in told:
            set_limits_of(connection, scope, None)
        elif told[quantity, scope.place] == limits:
            del told[quantity, scope.place]
    for (quantity, place), limits in told.items():
        set_limits_of(connection, LimitScope(quantity=quantity, place=place), limits)


def _put_definitions(
    connection: Connection, content: SiteContent, *, who: str, now_us: int
) -> None:
    """Groups, workings, channels, watches, sheets, guidelines, reports and forwards that are new or
    say something else."""
    before = {one.name: one for one in groups(connection)}
    for entry in content.groups or ():
        group = group_of_entry(connection, entry)
        if before.get(group.name) != group:
            save_group(connection, group)
    _put_workings(connection, content.workings or ())
    channels = {one.name: one for one in ways(connection)}
    for channel in content.channels or ():
        with_secrets = with_secrets_of(channel, channels.get(channel.name))
        if channels.get(channel.name) != with_secrets:
            save_channel(connection, with_secrets)
    watched = {one.slug: one for one in watches(connection)}
    if content.watches is not None:
        # Before the others: two watches may change which of them runs a control.
        take_watches_away(connection, {one.slug for one in content.watches})
    changed = [one for one in content.watches or () if watched.get(one.slug) != one]
    site = load_site(connection) if changed else None
    for watch in changed:
        save_watch(connection, watch, now_us=now_us, site=site)
    shown = {one.slug: one for one in sheets(connection)}
    for sheet in content.sheets or ():
        if shown.get(sheet.slug) != sheet:
            save_sheet(connection, sheet)
    written = {one.slug: one for one in own_guidelines(connection)}
    for guideline in content.guidelines or ():
        if written.get(guideline.slug) != guideline:
            save_guideline(connection, guideline)
    kept = {one.slug: one for one in reports(connection)}
    for report in content.reports or ():
        if kept.get(report.slug) != report:
            save_report(connection, report)
    _put_forwards(connection, content.forwards or (), who=who, now_us=now_us)
    put_in_order(connection, content)


def _put_forwards(
    connection: Connection, wanted: Sequence[Forward], *, who: str, now_us: int
) -> None:
    known = {one.slug: one for one, _ in forwards(connection)}
    for one in wanted:
        told = with_secret_of(one, known.get(one.slug))
        if known.get(told.slug) != told:
            save_forward(connection, told, who=who, now_us=now_us)


def _put_workings(connection: Connection, wanted: Sequence[Working]) -> None:
    made = {one.slug: one for one in workings(connection)}
    changed = [one for one in wanted if made.get(one.slug) != one]
    for working in changed:
        try:
            write_working(connection, working)
        except UsageError:
            raise
        except RookTallyError as error:
            raise UsageError(f"working {working.slug}: {error}") from error
    if changed:
        # What cannot be worked out yet waits: a site that somebody hands on may come before its
        # stations.
        bind_workings(connection)
