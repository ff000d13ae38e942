"""Plain JSON: an object of named values, or a list of such objects.

`station` and `time` are members with a meaning of their own; every other member is a field.
Nested names are joined by dots. Numbers may come as text.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from math import isfinite

import msgspec

from rook_tally.core.errors import DecodeError
from rook_tally.core.timestamps import rfc3339
from rook_tally.intake.bounds import (
    DEEPEST,
    LONGEST_NAME,
    RejectedValues,
    check_count,
    name_fault,
    too_deep,
)
from rook_tally.intake.decode.json_text import Json, kind_of, number_from
from rook_tally.intake.decode.station_attributes import said_from
from rook_tally.intake.decode.text_value import sent_time, value_and_unit
from rook_tally.intake.message import Decoded, DecodedValue, StationAttribute

STATION = "station"
TIME = "time"
_NOT_FIELDS = frozenset({STATION, TIME})


def decode(document: Json) -> Decoded:
    """The values of a parsed plain JSON message.

    Raises
    ------
    DecodeError
        When it is neither an object nor a list of objects, or an empty list.
    """
    if isinstance(document, dict):
        objects: list[Json] = [document]
    elif isinstance(document, list):
        objects = document
    else:
        raise DecodeError(
            f"the message is {kind_of(document)}, not an object of named values",
            remedy='send something like {"temperature": 21.4}',
        )
    if not objects:
        raise DecodeError("the message is an empty list", remedy="send at least one reading")
    items: list[DecodedValue] = []
    refused = RejectedValues()
    said: list[StationAttribute] = []
    for at, one in enumerate(objects):
        if not isinstance(one, dict):
            refused.add(at, "", f"{kind_of(one)} stands where an object of named values belongs")
            continue
        _take_object(at, one, items, refused, said)
        check_count(len(items))
    return Decoded(tuple(items), refused.told(), tuple(said))


def written(items: Sequence[DecodedValue]) -> bytes:
    """Values as a plain JSON message without a station: what `decode` reads as the same."""
    objects: dict[int | None, dict[str, object]] = {}
    for one in items:
        row = objects.setdefault(one.time_us, {})
        if one.time_us is not None:
            row[TIME] = rfc3339(one.time_us)
        row[one.field] = one.value if one.unit is None else f"{one.value!r} {one.unit}"
    return msgspec.json.encode(list(objects.values()))


def _take_object(
    at: int,
    members: dict[str, Json],
    items: list[DecodedValue],
    refused: RejectedValues,
    said: list[StationAttribute],
) -> None:
    station = members.get(STATION)
    if station is not None and not isinstance(station, str):
        refused.add(at, STATION, f"station is {kind_of(station)}, not text")
        return
    time_us, time_note = sent_time(members.get(TIME))
    is_empty = True
    for field, value in _flattened(members):
        if field in _NOT_FIELDS:
            continue
        is_empty = False
        fault = name_fault(field)
        if fault:
            refused.add(at, field, fault)
            continue
        word = said_from(field, value, at=at, station=station)
        if word is not None:
            said.append(word)
            continue
        try:
            reading, unit = _value_from(value)
        except ValueError as error:
            refused.add(at, field, f"{field}: {error}")
            continue
        items.append(DecodedValue(at, field, reading, station, unit, time_us, time_note))
    if is_empty:
        refused.add(at, "", "the object holds no values")


def _flattened(members: dict[str, Json]) -> Iterable[tuple[str, Json]]:
    """Every value with its name; nested names are joined by dots."""
    if dict not in map(type, members.values()):
        return members.items()
    return _unnested(members, "")


def _unnested(members: dict[str, Json], prefix: str, depth: int = 1) -> Iterator[tuple[str, Json]]:
    if depth > DEEPEST:
        raise too_deep()
    for name, value in members.items():
        # What is named too long already is told of once, not once for all that is within.
        if isinstance(value, dict) and len(prefix) + len(name) <= LONGEST_NAME:
            yield from _unnested(value, f"{prefix}{name}.", depth + 1)
        else:
            yield f"{prefix}{name}", value


def _value_from(value: Json) -> tuple[float | bool | str, str | None]:
    """A value and the unit that may stand behind it."""
    if type(value) is float and isfinite(value):
        return value, None
    if isinstance(value, bool):
        return value, None
    if isinstance(value, str):
        return value_and_unit(value)
    if isinstance(value, int | float):
        return number_from(value), None
    raise ValueError(f"{kind_of(value)} is not a reading")
