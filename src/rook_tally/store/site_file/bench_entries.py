"""What is kept on the Bench, as a site file says it: series by station and field, not by number."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy.engine import Connection

from rook_tally.core.comparing.bench_items import (
    AirItem,
    BenchItem,
    EventItem,
    PairItem,
    SensorItem,
    UsualItem,
)
from rook_tally.core.errors import UsageError
from rook_tally.core.site_file.content import BenchEntry, SeriesName
from rook_tally.store.site import Site, load_site
from rook_tally.store.site.bench_items import bench_items, drop_bench_item, keep_bench_item


def bench_entries(connection: Connection, site: Site) -> tuple[BenchEntry, ...]:
    """What is kept on the Bench; what is about a series that is gone is left out."""
    names = {one.id: SeriesName(one.station.key, one.field) for one in site.series}
    return tuple(
        _entry(one, names)
        for one in bench_items(connection)
        if all(number in names for number in one.series)
    )


def _entry(item: BenchItem, names: dict[int, SeriesName]) -> BenchEntry:
    match item:
        case PairItem():
            return BenchEntry(what="pair", series=tuple(names[one] for one in item.series))
        case SensorItem():
            return BenchEntry(what="sensor", series=(names[item.sensor],))
        case EventItem():
            return BenchEntry(
                what="event",
                event=item.source,
                before_min=item.before_min,
                after_min=item.after_min,
            )
        case UsualItem():
            return BenchEntry(what="usual", series=(names[item.of],), above=item.threshold)
        case AirItem():
            return BenchEntry(
                what="air",
                series=(names[item.by],),
                volume_m3=item.volume_m3,
                cleaner=None if item.cleaner is None else names[item.cleaner],
            )


def put_bench_entries(connection: Connection, wanted: Sequence[BenchEntry]) -> None:
    """Keep just these on the Bench. One about a working that is not there yet is left out.

    Raises
    ------
    UsageError
        When a station has no such field.
    """
    ids = {(one.station.key, one.field): one.id for one in load_site(connection).series}
    items = []
    for entry in wanted:
        named = (*entry.series, *(() if entry.cleaner is None else (entry.cleaner,)))
        missing = [one for one in named if (one.station, one.field) not in ids]
        if any("@" not in one.station for one in missing):
            raise UsageError(
                f"bench: {missing[0].station} has no field {missing[0].field}",
                kept="nothing was changed",
                remedy="name it in the file as well",
            )
        if not missing:
            items.append(_item(entry, [ids[one.station, one.field] for one in named]))
    for one in bench_items(connection):
        if one not in items:
            drop_bench_item(connection, one)
    for one in items:
        keep_bench_item(connection, one)


def _item(entry: BenchEntry, ids: Sequence[int]) -> BenchItem:
    if entry.what == "pair":
        return PairItem(ids[0], ids[1], tuple(ids[2:]))
    if entry.what == "sensor":
        return SensorItem(ids[0])
    if entry.what == "event":
        return EventItem(entry.event, entry.before_min, entry.after_min)
    if entry.what == "usual":
        return UsualItem(ids[0], entry.above)
    cleaner = ids[1] if entry.cleaner is not None else None
    return AirItem(ids[0], entry.volume_m3, cleaner)
