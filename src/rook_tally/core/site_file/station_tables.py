"""Stations in a site file, and the plans they hang on: `[[station]]`, `[[plan]]`."""

from __future__ import annotations

import base64
import binascii

import msgspec

from rook_tally.core.alarms.files import seconds_of
from rook_tally.core.plans import checked_mark, checked_picture
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.series_settings import SeriesSettings, checked_series_settings
from rook_tally.core.series.corrections import CorrectionUncertainty
from rook_tally.core.site_file.content import (
    FieldCorrection,
    FieldEntry,
    PlanEntry,
    PlanMarkEntry,
    StationEntry,
)
from rook_tally.core.site_file.limit_tables import WrittenSides, limits_of
from rook_tally.core.timestamps import time_us_from_text

_SETTLED = SeriesSettings.__struct_fields__


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
    limits: WrittenSides | None = None
    correction: tuple[_Correction, ...] = ()


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


class _Mark(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    station: str
    at: tuple[float, float]


class _Plan(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    name: str
    picture: str
    station: tuple[_Mark, ...] = ()


def station_of_table(table: object) -> StationEntry:
    """A `[[station]]` with its fields and their corrections.

    Raises
    ------
    ValueError, msgspec.ValidationError, UsageError
        When something in it cannot be.
    """
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


def plan_of_table(table: object) -> PlanEntry:
    """A `[[plan]]` with what hangs on it.

    Raises
    ------
    ValueError, msgspec.ValidationError, UsageError
        When something in it cannot be.
    """
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
        limits=None if told.limits is None else limits_of(told.limits),
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


def _uncertainty(told: _Correction) -> CorrectionUncertainty | None:
    if told.se_gain is None or told.se_offset is None:
        return None
    return CorrectionUncertainty(told.se_gain, told.se_offset, told.cov)
