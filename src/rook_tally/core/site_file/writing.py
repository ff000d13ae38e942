"""A site file written: as a new text, or into one that is there, whose comments stay."""

from __future__ import annotations

import base64
import tomllib
from collections.abc import Mapping, Sequence
from typing import Any

import msgspec

from rook_tally.core.alarms.files import table_of, written_span
from rook_tally.core.alarms.sentences import hours_words
from rook_tally.core.door_settings import door_table
from rook_tally.core.errors import UsageError
from rook_tally.core.forwards.files import forward_table
from rook_tally.core.moment_words import ClockStyle, DateStyle
from rook_tally.core.quantities.kind_files import kind_to_toml
from rook_tally.core.quantities.levels import Four, HourLimits, Level, Limits
from rook_tally.core.reports.files import guideline_table, report_table
from rook_tally.core.site_file.content import (
    DOOR_NAMED_BY,
    BenchEntry,
    FieldCorrection,
    FieldEntry,
    GroupEntry,
    LimitEntry,
    PageEntry,
    PlaceEntry,
    PlanEntry,
    SiteContent,
    SiteEntry,
    StationEntry,
)
from rook_tally.core.site_settings import DecimalMark, TimeGrain, Weekday
from rook_tally.core.timestamps import rfc3339
from rook_tally.core.wall.files import sheet_table
from rook_tally.core.workings.definitions import Placement, Score, Working

FORMAT = 1
Table = dict[str, Any]
# What tells one table of an array from another.
_NAMED_BY = {
    "place": ("name",),
    "kind": ("slug",),
    "station": ("key",),
    "field": ("name",),
    "correction": ("from",),
    "limit": ("quantity", "place"),
    "group": ("name",),
    "working": ("slug",),
    "door": DOOR_NAMED_BY,
    "channel": ("name",),
    "watch": ("slug",),
    "sheet": ("slug",),
    "guideline": ("slug",),
    "report": ("slug",),
    "forward": ("slug",),
    "device": ("name",),
    "key": ("sort", "name"),
    "plan": ("name",),
}


def site_to_tables(content: SiteContent) -> Table:
    """The tables of a file, in the order in which it has them. A part that is there and empty is an
    empty array: reading it takes away what a site has of it."""
    told: Table = {"format": FORMAT}
    if content.site is not None:
        told["site"] = _site(content.site)
    if content.units is not None:
        told["units"] = dict(sorted(content.units.items()))
    if content.settings is not None:
        told["settings"] = dict(content.settings)
    if content.page is not None:
        told["page"] = _page(content.page)
    if content.firmware is not None:
        told["firmware"] = msgspec.to_builtins(content.firmware)
    parts: tuple[tuple[str, Sequence[Any] | None, Any], ...] = (
        ("kind", content.kinds, lambda one: tomllib.loads(kind_to_toml(one))),
        ("place", content.places, _place),
        ("station", content.stations, _station),
        ("limit", content.limits, _limit),
        ("group", content.groups, _group),
        ("working", content.workings, _working),
        ("plan", content.plans, _plan),
        ("door", content.doors, door_table),
        ("channel", content.channels, table_of),
        ("watch", content.watches, table_of),
        ("sheet", content.sheets, sheet_table),
        ("bench", content.bench, _bench),
        ("guideline", content.guidelines, guideline_table),
        ("report", content.reports, report_table),
        ("forward", content.forwards, forward_table),
        ("key", content.keys, msgspec.to_builtins),
    )
    return told | {
        name: [write(one) for one in part] for name, part, write in parts if part is not None
    }


def site_to_toml(content: SiteContent, before: str = "") -> str:
    """A site as the text of a file. `before` is the text that is there: what did not change stays
    as it is written, with its comments.

    Raises
    ------
    UsageError
        When what is there is no TOML.
    """
    import tomlkit
    from tomlkit.exceptions import TOMLKitError

    tables = site_to_tables(content)
    if not before.strip():
        document = tomlkit.document()
        for name, value in tables.items():
            document[name] = _table(value) if isinstance(value, dict) else _item(value)
        return tomlkit.dumps(document)
    try:
        document = tomlkit.parse(before)
    except TOMLKitError as error:
        raise UsageError(
            f"what is there is no TOML: {error}",
            kept="it was left as it is",
            remedy="mend it, or name another file",
        ) from error
    _renew(document, tables)
    return tomlkit.dumps(document)


def _renew(table: Any, wanted: Mapping[str, Any]) -> None:
    """Make a table of a document say what is wanted, and leave alone what says so already."""
    for name in [one for one in table if one not in wanted]:
        del table[name]
    for name, value in wanted.items():
        known = table.get(name)
        if known is not None and _plain(known) == value:
            continue
        if isinstance(value, dict) and isinstance(known, dict):
            _renew(known, value)
        elif name in _NAMED_BY and value and _is_array_of_tables(known):
            table[name] = _renewed_array(known, value, _NAMED_BY[name])
        else:
            table[name] = _item(value)


def _table(told: Table) -> Any:
    import tomlkit

    table = tomlkit.table()
    for name, value in told.items():
        table[name] = _item(value)
    return table


def _item(value: Any) -> Any:
    """A value as it is written: a table within one in its line, several one below the other."""
    import tomlkit

    if isinstance(value, dict):
        if any(_is_several(one) for one in value.values()):
            return _table(value)
        inline = tomlkit.inline_table()
        for name, one in value.items():
            inline[name] = _item(one)
        return inline
    if _is_several(value):
        array = tomlkit.aot()
        for one in value:
            array.append(_table(one))
        return array
    if isinstance(value, _Lines):
        return tomlkit.string("\n" + value, multiline=True)
    return tomlkit.item(value)


class _Lines(str):
    """A text that is written in lines of its own."""


def _is_several(value: Any) -> bool:
    return isinstance(value, list) and bool(value) and isinstance(value[0], dict)


def _renewed_array(known: Any, wanted: Sequence[Table], named_by: tuple[str, ...]) -> Any:
    import tomlkit

    def name_of(table: Mapping[str, Any]) -> tuple[Any, ...]:
        return tuple(_plain(table.get(one, "")) for one in named_by)

    there = {name_of(one): one for one in known}
    array = tomlkit.aot()
    for one in wanted:
        found = there.get(name_of(one))
        if found is None:
            found = _table(one)
        else:
            _renew(found, one)
        array.append(found)
    return array


def _is_array_of_tables(value: Any) -> bool:
    from tomlkit.items import AoT

    return isinstance(value, AoT)


def _plain(value: Any) -> Any:
    return value.unwrap() if hasattr(value, "unwrap") else value


def _site(one: SiteEntry) -> Table:
    told: Table = {"name": one.name, "zone": one.zone}
    settings = one.settings
    for name, value in (
        ("latitude", settings.latitude),
        ("longitude", settings.longitude),
        ("height_m", settings.height_m),
        ("quiet", None if settings.quiet is None else hours_words(settings.quiet)),
    ):
        if value is not None:
            told[name] = value
    if settings.week_begins is not Weekday.MONDAY:
        told["week_begins"] = settings.week_begins.value
    if settings.decimals is not DecimalMark.DESKTOP:
        told["decimals"] = settings.decimals.value
    if settings.dates is not DateStyle.DAY_FIRST:
        told["dates"] = settings.dates.value
    if settings.clocks is not ClockStyle.HOURS_24:
        told["clocks"] = settings.clocks.value
    if settings.language:
        told["language"] = settings.language
    if settings.times is not TimeGrain.MICROSECOND:
        told["times"] = settings.times.value
    return told


def _place(one: PlaceEntry) -> Table:
    told: Table = {"name": one.name}
    if one.inside:
        told["in"] = one.inside
    if one.outdoors:
        told["outdoors"] = True
    return told


def _station(one: StationEntry) -> Table:
    told: Table = {"key": one.key, "place": one.place, "kind": one.kind}
    if one.cadence_s is not None:
        told["every"] = written_span(one.cadence_s)
    for name in ("notes", "latitude", "longitude", "access_hash", "broker_hash"):
        value = getattr(one, name)
        if value not in (None, ""):
            told[name] = value
    if one.aliases:
        told["aliases"] = list(one.aliases)
    if one.retired_us is not None:
        told["retired"] = rfc3339(one.retired_us)
    if one.past_of:
        told["past_of"] = one.past_of
    if one.maintenance_us is not None:
        told["maintenance"] = [rfc3339(each) for each in one.maintenance_us]
    if one.hangs:
        told["hangs"] = one.hangs
    if one.photograph is not None:
        told["photograph"] = _picture(one.photograph)
    if one.fields:
        told["field"] = [_field(each) for each in one.fields]
    return told


def _field(one: FieldEntry) -> Table:
    told: Table = {"name": one.name, "quantity": one.quantity, "unit": one.unit}
    if one.names:
        told["names"] = list(one.names)
    if one.limits is not None:
        told["limits"] = _sides(one.limits)
    told |= msgspec.to_builtins(one.settings)
    if one.corrections:
        told["correction"] = [
            {
                "from": rfc3339(each.from_us),
                "gain": each.gain,
                "offset": each.offset,
                "who": each.who,
                "why": each.why,
            }
            | _uncertainty(each)
            for each in one.corrections
        ]
    return told


def _page(one: PageEntry) -> Table:
    # Whether they are served is always said: a table that says nothing is not written.
    told: Table = {"on": one.on} | msgspec.to_builtins(one)
    return told | ({} if one.device is None else {"device": list(told["device"])})


def _bench(one: BenchEntry) -> Table:
    told: Table = {"what": one.what}
    if one.series:
        told["series"] = [msgspec.to_builtins(each) for each in one.series]
    if one.event:
        told |= {"event": one.event, "before": one.before_min, "after": one.after_min}
    if one.above is not None:
        told["above"] = one.above
    if one.volume_m3 is not None:
        told["volume"] = one.volume_m3
    if one.cleaner is not None:
        told["cleaner"] = msgspec.to_builtins(one.cleaner)
    return told


def _uncertainty(one: FieldCorrection) -> Table:
    told = one.uncertainty
    if told is None:
        return {}
    return {"se_gain": told.se_gain, "se_offset": told.se_offset, "cov": told.cov}


def _plan(one: PlanEntry) -> Table:
    told: Table = {"name": one.name, "picture": _picture(one.picture)}
    if one.marks:
        told["station"] = [{"station": each.station, "at": list(each.at)} for each in one.marks]
    return told


def _picture(body: bytes) -> str:
    """Base64 in lines, so that another picture is a change that can be looked at."""
    return _Lines(base64.encodebytes(body).decode("ascii"))


def _limit(one: LimitEntry) -> Table:
    told: Table = {"quantity": one.quantity}
    if one.place:
        told["place"] = one.place
    return told | _sides(one.limits)


def _sides(limits: Limits) -> Table:
    told: Table = _plain_sides(limits)
    if limits.by_hours:
        told["at_hours"] = [
            {"hours": hours_words(one.hours)} | _plain_sides(one) for one in limits.by_hours
        ]
    return told


def _plain_sides(limits: Limits | HourLimits) -> Table:
    sides = {"above": _levels(limits.above), "below": _levels(limits.below)}
    return {name: levels for name, levels in sides.items() if levels}


def _levels(four: Four) -> dict[str, float]:
    return {
        level.wording: value
        for level, value in zip(list(Level)[1:], four, strict=True)
        if value is not None
    }


def _group(one: GroupEntry) -> Table:
    told: Table = {"name": one.name, "places": list(one.places)}
    if one.series:
        told["series"] = [{"station": station, "field": field} for station, field in one.series]
    return told


def _working(one: Working) -> Table:
    told: Table = {"slug": one.slug, "name": one.name}
    if one.formula:
        told["formula"] = one.formula
    if one.made is not Placement.ONCE:
        told["made"] = one.made.value
    for name in ("place", "group"):
        if value := getattr(one, name):
            told[name] = value
    if one.decimals is not None:
        told["decimals"] = one.decimals
    if one.limits is not None:
        told["limits"] = _sides(one.limits)
    if one.score is not None:
        told["score"] = _score(one.score)
    return told


def _score(one: Score) -> Table:
    told: Table = {"way": one.way.value, "least": one.least}
    if one.variant_of:
        told["variant_of"] = one.variant_of
    inputs = [msgspec.to_builtins(each) for each in one.inputs]
    return told | {
        "input": [each | {"points": [list(pair) for pair in each["points"]]} for each in inputs]
    }
