"""A site file read: every mistake with its table and its name."""

from __future__ import annotations

import tomllib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, TypeVar

import msgspec

from rook_tally.core.alarms.channels import Channel
from rook_tally.core.alarms.definitions import Watch
from rook_tally.core.alarms.edits import hours_of
from rook_tally.core.alarms.files import from_table
from rook_tally.core.door_settings import door_of_table
from rook_tally.core.errors import RookTallyError, UsageError
from rook_tally.core.firmware.images import SigningKey, check_key
from rook_tally.core.forwards.files import forward_from_table
from rook_tally.core.moment_words import ClockStyle, DateStyle
from rook_tally.core.quantities.kind_files import kind_from_toml
from rook_tally.core.quantities.kinds import Kind
from rook_tally.core.reports.files import guideline_from_table, report_from_table
from rook_tally.core.site_file.content import (
    DOOR_NAMED_BY,
    BenchEntry,
    FirmwareEntry,
    GroupEntry,
    KeyEntry,
    KeySort,
    PageEntry,
    PlaceEntry,
    SeriesName,
    SiteContent,
    SiteEntry,
    SitePart,
)
from rook_tally.core.site_file.limit_tables import WrittenSides, limit_of_table, limits_of
from rook_tally.core.site_file.station_tables import plan_of_table, station_of_table
from rook_tally.core.site_file.writing import FORMAT
from rook_tally.core.site_settings import (
    DecimalMark,
    SiteSettings,
    TimeGrain,
    Weekday,
    checked_settings,
)
from rook_tally.core.wall.files import sheet_from_table
from rook_tally.core.workings.definitions import Score, Working

_KEPT = "nothing was changed"
_REMEDY = "see docs/site-file.md for what a file holds"
LONGEST = 16_000_000
"""Characters of a file: a site of a thousand stations takes a tenth."""
T = TypeVar("T")


class _Site(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    name: str = ""
    zone: str = "UTC"
    latitude: float | None = None
    longitude: float | None = None
    height_m: float | None = None
    quiet: str = ""
    week_begins: Weekday = Weekday.MONDAY
    decimals: DecimalMark = DecimalMark.DESKTOP
    dates: DateStyle = DateStyle.DAY_FIRST
    clocks: ClockStyle = ClockStyle.HOURS_24
    language: str = ""
    times: TimeGrain = TimeGrain.MICROSECOND


class _Place(msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename={"inside": "in"}):
    name: str
    inside: str = ""
    outdoors: bool = False


class _Bench(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    what: str
    series: tuple[SeriesName, ...] = ()
    event: str = ""
    before: float = 30.0
    after: float = 120.0
    above: float | None = None
    volume: float | None = None
    cleaner: SeriesName | None = None


class _Series(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    station: str
    field: str


class _Group(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    name: str
    places: tuple[str, ...] = ()
    series: tuple[_Series, ...] = ()


def site_from_toml(text: str) -> SiteContent:
    """Read a site file.

    Raises
    ------
    UsageError
        When it is no TOML, was written by a newer program, or something in it cannot be; it names
        the table and what is wrong with it.
    """
    if len(text) > LONGEST:
        raise UsageError(
            f"a site file of {len(text):,} characters is none",
            kept=_KEPT,
            remedy=f"it can have {LONGEST:,}",
        )
    try:
        document = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise UsageError(f"this is no TOML: {error}", kept=_KEPT, remedy=_REMEDY) from error
    number = document.pop("format", FORMAT)
    if isinstance(number, bool) or not isinstance(number, int) or number > FORMAT:
        raise UsageError(
            "this file was written by a newer rook-tally",
            kept=_KEPT,
            remedy="bring this one up to date",
        )
    known = [one.value for one in SitePart]
    unknown = sorted(set(document) - set(known))
    if unknown:
        raise UsageError(
            f"a site file holds no {unknown[0]}",
            kept=_KEPT,
            remedy="it can hold " + ", ".join(known),
        )
    return SiteContent(
        site=_one(document, "site", _site),
        units=_one(document, "units", _units),
        settings=_one(document, "settings", _settings),
        kinds=_all(document, "kind", _kind, "slug"),
        places=_all(document, "place", _place, "name"),
        stations=_all(document, "station", station_of_table, "key"),
        limits=_all(document, "limit", limit_of_table, "quantity", "place"),
        groups=_all(document, "group", _group, "name"),
        workings=_all(document, "working", _working, "slug"),
        plans=_all(document, "plan", plan_of_table, "name"),
        doors=_all(document, "door", door_of_table, *DOOR_NAMED_BY),
        channels=_all(document, "channel", lambda one: from_table(one, Channel), "name"),
        watches=_all(document, "watch", lambda one: from_table(one, Watch), "slug"),
        sheets=_all(document, "sheet", sheet_from_table, "slug"),
        bench=_all(document, "bench", _bench),
        guidelines=_all(document, "guideline", guideline_from_table, "slug"),
        reports=_all(document, "report", report_from_table, "slug"),
        forwards=_all(document, "forward", forward_from_table, "slug"),
        page=_one(document, "page", lambda one: msgspec.convert(one, PageEntry)),
        keys=_all(document, "key", _key, "sort", "name"),
        firmware=_one(document, "firmware", _firmware),
    )


def _one(document: dict[str, Any], name: str, read: Callable[[Any], T]) -> T | None:
    if name not in document:
        return None
    with _about(name):
        return read(document[name])


def _all(
    document: dict[str, Any], part: str, read: Callable[[Any], T], *named_by: str
) -> tuple[T, ...] | None:
    tables = document.get(part)
    if tables is None:
        return None
    if not isinstance(tables, list) or not all(isinstance(one, dict) for one in tables):
        raise UsageError(f"{part} is written as [[{part}]]", kept=_KEPT, remedy=_REMEDY)
    found, seen = [], set()
    for at, one in enumerate(tables, start=1):
        name = " ".join(str(one[each]) for each in named_by if one.get(each)) or f"number {at}"
        with _about(f"{part} {name}"):
            found.append(read(one))
        if name in seen:
            raise UsageError(f"{part} {name} is there twice", kept=_KEPT, remedy="name each once")
        seen.add(name)
    return tuple(found)


@contextmanager
def _about(what: str) -> Iterator[None]:
    """Say which table an error is about."""
    try:
        yield
    except UsageError as error:
        raise UsageError(f"{what}: {error.what}", kept=_KEPT, remedy=error.remedy) from error
    except (msgspec.ValidationError, RookTallyError, ValueError, TypeError) as error:
        raise UsageError(f"{what}: {error}", kept=_KEPT, remedy=_REMEDY) from error


def _site(table: Any) -> SiteEntry:
    told = msgspec.convert(table, _Site)
    settings = SiteSettings(
        latitude=told.latitude,
        longitude=told.longitude,
        height_m=told.height_m,
        quiet=hours_of(told.quiet),
        week_begins=told.week_begins,
        decimals=told.decimals,
        dates=told.dates,
        clocks=told.clocks,
        language=told.language,
        times=told.times,
    )
    return SiteEntry(name=told.name, zone=told.zone, settings=checked_settings(settings))


def _units(table: Any) -> dict[str, str]:
    return msgspec.convert(table, dict[str, str])


def _settings(table: Any) -> dict[str, str | float]:
    return msgspec.convert(table, dict[str, str | float])


def _kind(table: Any) -> Kind:
    import tomlkit

    return kind_from_toml(tomlkit.dumps(table))


def _place(table: Any) -> PlaceEntry:
    told = msgspec.convert(table, _Place)
    return PlaceEntry(name=told.name, inside=told.inside, outdoors=told.outdoors)


# How many series each sort of item on the Bench is about.
_ON_THE_BENCH = {"pair": 2, "sensor": 1, "event": 0, "usual": 1, "air": 1}


def _bench(table: Any) -> BenchEntry:
    told = msgspec.convert(table, _Bench)
    wanted = _ON_THE_BENCH.get(told.what)
    if wanted is None:
        raise ValueError(f"{told.what} is none of {', '.join(_ON_THE_BENCH)}")
    # Beside the first of a pair there may be more.
    if len(told.series) != wanted and not (told.what == "pair" and len(told.series) > wanted):
        raise ValueError(f"{told.what} is about {wanted} series, not {len(told.series)}")
    if (told.what == "event") is not bool(told.event):
        raise ValueError("an event, and nothing else, says which event")
    if not (told.before > 0 and told.after > 0):
        raise ValueError("before and after are minutes above 0")
    return BenchEntry(
        what=told.what,
        series=told.series,
        event=told.event,
        before_min=told.before,
        after_min=told.after,
        above=told.above,
        volume_m3=told.volume,
        cleaner=told.cleaner,
    )


def _group(table: Any) -> GroupEntry:
    told = msgspec.convert(table, _Group)
    series = tuple((one.station, one.field) for one in told.series)
    return GroupEntry(name=told.name, places=told.places, series=series)


def _firmware(table: Any) -> FirmwareEntry:
    told = msgspec.convert(table, FirmwareEntry)
    check_key(SigningKey(told.public, told.private))
    return told


def _key(table: Any) -> KeyEntry:
    told = msgspec.convert(table, KeyEntry)
    if told.sort is KeySort.GATEWAY and (told.places or told.groups):
        raise ValueError("a gateway's key is for what it brings: it has no places and no groups")
    return told


def _working(table: Any) -> Working:
    told = dict(table)
    sides = told.pop("limits", None)
    limits = None if sides is None else limits_of(msgspec.convert(sides, WrittenSides))
    score = told.pop("score", None)
    unknown = sorted(set(told) - set(Working.__struct_fields__))
    if unknown:
        raise ValueError(f"there is no {unknown[0]}; see what `site export` writes")
    working = msgspec.convert(told, Working)
    return msgspec.structs.replace(
        working, limits=limits, score=None if score is None else _score(score)
    )


def _score(table: Any) -> Score:
    told = dict(table)
    if "input" in told:
        told["inputs"] = told.pop("input")
    unknown = sorted(set(told) - set(Score.__struct_fields__))
    if unknown:
        raise ValueError(f"a score has no {unknown[0]}")
    return msgspec.convert(told, Score)
