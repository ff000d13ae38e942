"""A site file read: every mistake with its table and its name."""

from __future__ import annotations

import base64
import binascii
import tomllib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, TypeVar

import msgspec

from rook_tally.core.alarms.channels import Channel
from rook_tally.core.alarms.definitions import Watch
from rook_tally.core.alarms.edits import hours_of
from rook_tally.core.alarms.files import from_table, seconds_of
from rook_tally.core.door_settings import door_of_table
from rook_tally.core.errors import RookTallyError, UsageError
from rook_tally.core.firmware.images import SigningKey, check_key
from rook_tally.core.forwards.files import forward_from_table
from rook_tally.core.hours_of_day import HoursOfDay
from rook_tally.core.moment_words import ClockStyle, DateStyle
from rook_tally.core.plans import checked_mark, checked_picture
from rook_tally.core.quantities.kind_files import kind_from_toml
from rook_tally.core.quantities.kinds import Kind
from rook_tally.core.quantities.levels import Four, HourLimits, Limits
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.series_settings import SeriesSettings, checked_series_settings
from rook_tally.core.reports.files import guideline_from_table, report_from_table
from rook_tally.core.series.corrections import CorrectionUncertainty
from rook_tally.core.site_file.content import (
    DOOR_NAMED_BY,
    BenchEntry,
    FieldCorrection,
    FieldEntry,
    FirmwareEntry,
    GroupEntry,
    KeyEntry,
    KeySort,
    LimitEntry,
    PageEntry,
    PlaceEntry,
    PlanEntry,
    PlanMarkEntry,
    SeriesName,
    SiteContent,
    SiteEntry,
    SitePart,
    StationEntry,
)
from rook_tally.core.site_file.writing import FORMAT
from rook_tally.core.site_settings import (
    DecimalMark,
    SiteSettings,
    TimeGrain,
    Weekday,
    checked_settings,
)
from rook_tally.core.timestamps import time_us_from_text
from rook_tally.core.wall.files import sheet_from_table
from rook_tally.core.workings.definitions import Score, Working

_KEPT = "nothing was changed"
_REMEDY = "see docs/site-file.md for what a file holds"
LONGEST = 16_000_000
"""Characters of a file: a site of a thousand stations takes a tenth."""
T = TypeVar("T")


class _Levels(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    noticed: float | None = None
    raised: float | None = None
    high: float | None = None
    severe: float | None = None


class _HourSides(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    hours: str
    above: _Levels = _Levels()
    below: _Levels = _Levels()


class _Sides(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    above: _Levels = _Levels()
    below: _Levels = _Levels()
    at_hours: tuple[_HourSides, ...] = ()


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


_SETTLED = SeriesSettings.__struct_fields__


class _Place(msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename={"inside": "in"}):
    name: str
    inside: str = ""
    outdoors: bool = False


class _Correction(
    msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename={"start": "from"}
):
    start: str
    gain: float = 1.0
    offset: float = 0.0
    who: str = ""
    why: str = ""
    se_gain: float | None = None
    se_offset: float | None = None
    cov: float = 0.0


class _Field(SeriesSettings, frozen=True, forbid_unknown_fields=True):
    name: str
    quantity: str
    unit: str = ""
    names: tuple[str, ...] = ()
    limits: _Sides | None = None
    correction: tuple[_Correction, ...] = ()


class _Bench(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    what: str
    series: tuple[SeriesName, ...] = ()
    event: str = ""
    before: float = 30.0
    after: float = 120.0
    above: float | None = None
    volume: float | None = None
    cleaner: SeriesName | None = None


class _Mark(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    station: str
    at: tuple[float, float]


class _Plan(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    name: str
    picture: str
    station: tuple[_Mark, ...] = ()


class _Station(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    key: str
    place: str
    kind: str = "plain"
    every: str | float | None = None
    notes: str = ""
    latitude: float | None = None
    longitude: float | None = None
    aliases: tuple[str, ...] = ()
    retired: str = ""
    past_of: str = ""
    maintenance: tuple[str, str] | None = None
    hangs: str = ""
    photograph: str = ""
    access_hash: str = ""
    broker_hash: str = ""
    field: tuple[_Field, ...] = ()


class _Limit(_Sides, frozen=True, forbid_unknown_fields=True, kw_only=True):
    quantity: str
    place: str = ""


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
        stations=_all(document, "station", _station, "key"),
        limits=_all(document, "limit", _limit, "quantity", "place"),
        groups=_all(document, "group", _group, "name"),
        workings=_all(document, "working", _working, "slug"),
        plans=_all(document, "plan", _plan, "name"),
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


def _station(table: Any) -> StationEntry:
    told = msgspec.convert(table, _Station)
    fields = tuple(_field(one) for one in told.field)
    if len({one.name for one in fields}) != len(fields):
        raise ValueError("two of its fields have the same name")
    return StationEntry(
        key=told.key,
        place=told.place,
        kind=told.kind,
        cadence_s=None if told.every is None else seconds_of(told.every),
        notes=told.notes,
        latitude=told.latitude,
        longitude=told.longitude,
        aliases=told.aliases,
        retired_us=time_us_from_text(told.retired) if told.retired else None,
        past_of=told.past_of,
        maintenance_us=_span(told.maintenance),
        hangs=told.hangs,
        photograph=_picture(told.photograph) if told.photograph else None,
        access_hash=told.access_hash,
        broker_hash=told.broker_hash,
        fields=fields,
    )


def _plan(table: Any) -> PlanEntry:
    told = msgspec.convert(table, _Plan)
    return PlanEntry(
        name=told.name,
        picture=_picture(told.picture),
        marks=tuple(
            PlanMarkEntry(station=one.station, at=checked_mark(*one.at)) for one in told.station
        ),
    )


def _picture(text: str) -> bytes:
    try:
        body = base64.b64decode("".join(text.split()), validate=True)
    except binascii.Error as error:
        raise ValueError(f"its picture is no base64: {error}") from error
    return checked_picture(body).body


def _span(told: tuple[str, str] | None) -> tuple[int, int] | None:
    if told is None:
        return None
    begin, end = (time_us_from_text(one) for one in told)
    if begin > end:
        raise ValueError("maintenance ends before it begins")
    return begin, end


def _field(told: _Field) -> FieldEntry:
    quantity = QUANTITIES.get(told.quantity)
    if quantity is None:
        raise ValueError(f"field {told.name}: there is no quantity {told.quantity}")
    if told.unit and quantity.unit(told.unit) is None:
        known = ", ".join(one.symbol for one in quantity.units)
        raise ValueError(f"field {told.name}: {told.quantity} has no unit {told.unit}, but {known}")
    return FieldEntry(
        name=told.name,
        quantity=told.quantity,
        unit=told.unit or quantity.base.symbol,
        names=told.names,
        limits=None if told.limits is None else _limits(told.limits),
        settings=checked_series_settings(
            SeriesSettings(**{name: getattr(told, name) for name in _SETTLED})
        ),
        corrections=tuple(
            FieldCorrection(
                from_us=time_us_from_text(one.start),
                gain=one.gain,
                offset=one.offset,
                who=one.who,
                why=one.why,
                uncertainty=_uncertainty(one),
            )
            for one in told.correction
        ),
    )


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


def _uncertainty(told: _Correction) -> CorrectionUncertainty | None:
    if told.se_gain is None or told.se_offset is None:
        return None
    return CorrectionUncertainty(told.se_gain, told.se_offset, told.cov)


def _limit(table: Any) -> LimitEntry:
    told = msgspec.convert(table, _Limit)
    if told.quantity not in QUANTITIES:
        raise ValueError(f"there is no quantity {told.quantity}")
    return LimitEntry(quantity=told.quantity, place=told.place, limits=_limits(told))


def _limits(told: _Sides) -> Limits:
    by_hours = tuple(
        HourLimits(_hours(one.hours), _four(one.above), _four(one.below)) for one in told.at_hours
    )
    return Limits(_four(told.above), _four(told.below), by_hours)


def _hours(text: str) -> HoursOfDay:
    hours = hours_of(text)
    if hours is None:
        raise ValueError(f"{text!r} are all hours; limits of the whole day need none")
    return hours


def _four(levels: _Levels) -> Four:
    return levels.noticed, levels.raised, levels.high, levels.severe


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
    limits = None if sides is None else _limits(msgspec.convert(sides, _Sides))
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
