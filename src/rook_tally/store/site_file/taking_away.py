"""What a site file does not name is deleted, and what stays is put in its order."""

from __future__ import annotations

from collections.abc import Sequence

import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.alarms.channels import BUILT_IN
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.named_series import Group
from rook_tally.core.site_file.content import GroupEntry, SiteContent
from rook_tally.core.wall.definitions import WallSheet
from rook_tally.store.alarms import remove_watch, watches
from rook_tally.store.alarms.watches import remove_channel, ways
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.site.forwards import forwards, remove_forward
from rook_tally.store.site.guidelines import own_guidelines, remove_guideline
from rook_tally.store.site.kinds import delete_kind, own_kinds
from rook_tally.store.site.places import delete_place
from rook_tally.store.site.reports import remove_report, reports
from rook_tally.store.site.site_reading import load_site
from rook_tally.store.site.wall_sheets import order_sheets, remove_sheet, sheets
from rook_tally.store.workings import groups, remove_group, remove_working, workings


def put_in_order(connection: Connection, content: SiteContent) -> None:
    """Let what has an order stand in that of the file."""
    for table, several, subject in (
        (schema.working, content.workings, Subject.WORKINGS),
        (schema.watch, content.watches, Subject.WATCHES),
    ):
        slugs = [one.slug for one in several or ()]
        rows = connection.execute(sa.select(table.c.slug).order_by(table.c.position, table.c.id))
        there = [slug for slug in rows.scalars() if slug in slugs]
        if there != slugs:
            for at, slug in enumerate(slugs, start=1):
                connection.execute(sa.update(table).where(table.c.slug == slug).values(position=at))
            note_change(connection, subject)
    wanted: Sequence[WallSheet] = content.sheets or ()
    if wanted and [one.slug for one in sheets(connection)] != [one.slug for one in wanted]:
        order_sheets(connection, [one.slug for one in wanted])


def group_of_entry(connection: Connection, entry: GroupEntry) -> Group:
    """A group as the site has it; UsageError where it names what is not there."""
    site = load_site(connection)
    known = {(one.station.key, one.field): one.id for one in site.series}
    places = {one.name for one in site.places}
    for name in entry.places:
        if name not in places:
            raise UsageError(f"group {entry.name}: there is no place {name!r}")
    for station, field in entry.series:
        if (station, field) not in known:
            raise UsageError(f"group {entry.name}: station {station} has no field {field}")
    return Group(entry.name, entry.places, tuple(known[one] for one in entry.series))


def take_watches_away(connection: Connection, stay: set[str]) -> None:
    """Delete all watches but those."""
    for one in watches(connection):
        if one.slug not in stay:
            remove_watch(connection, one.slug)


def take_away(connection: Connection, content: SiteContent) -> None:
    """What a part of the file does not have goes, last of all: nothing names it any more."""
    if content.sheets is not None:
        wanted = {one.slug for one in content.sheets}
        for sheet in sheets(connection):
            if sheet.slug not in wanted:
                remove_sheet(connection, sheet.slug)
    if content.guidelines is not None:
        known = {one.slug for one in content.guidelines}
        for guideline in own_guidelines(connection):
            if guideline.slug not in known:
                remove_guideline(connection, guideline.slug)
    if content.reports is not None:
        slugs = {one.slug for one in content.reports}
        for report in reports(connection):
            if report.slug not in slugs:
                remove_report(connection, report.slug)
    if content.forwards is not None:
        handed = {one.slug for one in content.forwards}
        for forward, _ in forwards(connection):
            if forward.slug not in handed:
                remove_forward(connection, forward.slug)
    if content.channels is not None:
        stay = {one.name for one in (*content.channels, *BUILT_IN)}
        for channel in ways(connection):
            if channel.name not in stay:
                remove_channel(connection, channel.name)
        table, told = schema.way, [one.name for one in content.channels]
        # Those of every site are as they come where the file has none of them.
        connection.execute(sa.delete(table).where(table.c.name.not_in(told)))
    if content.workings is not None:
        slugs = {one.slug for one in content.workings}
        for working in reversed(workings(connection)):
            if working.slug not in slugs:
                remove_working(connection, working.slug)
    if content.groups is not None:
        names = {one.name for one in content.groups}
        for group in groups(connection):
            if group.name not in names:
                remove_group(connection, group.name)
    if content.places is not None:
        _take_places_away(connection, {one.name for one in content.places})
    if content.kinds is not None:
        site = load_site(connection)
        used = {one.kind.slug for one in (*site.stations, *site.retired)}
        kept = {one.slug for one in content.kinds} | used
        for slug in own_kinds(connection):
            if slug not in kept:
                delete_kind(connection, slug)


def _take_places_away(connection: Connection, stay: set[str]) -> None:
    """Those where nothing stands, and nothing is in; one that empties so goes too."""
    is_again = True
    while is_again:
        is_again = False
        site = load_site(connection)
        used = {one.place.id for one in (*site.stations, *site.retired)}
        used |= {one.station.place.id for one in site.series}
        used |= {one.parent_id for one in site.places if one.parent_id is not None}
        for one in site.places:
            if one.name not in stay and one.id not in used:
                delete_place(connection, one.name)
                is_again = True
