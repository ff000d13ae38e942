"""Shapes of JSON messages that are not ours: where time, unit, values and stations stand.

[json]
time = "/meta/ts"            # pointers (RFC 6901) into the message, or into each of `list`
time_in = "ms"               # rfc3339, s, ms, us; left out: by what it looks like
zone = "Europe/London"       # of times without an offset; left out: UTC
unit = "/unit"               # one for the whole message
skip = ["/rssi", "/meta"]    # what are no readings, with all that is within
list = "/devices"            # each of these is a station behind the sender
station = "/id"              # what it is called; without a list, whose message it is
words = {OPEN = 1, SHUT = 0} # what words mean

[json.pairs]                 # an array of names and values
at = "/values"
name = "/n"
value = "/v"
unit = "/u"
time = "/t"

[json.valued]                # objects that are one value, named by what they stand under
value = "value"
unit = "unit"
time = "time"
"""

from __future__ import annotations

import enum
import math
from collections.abc import Iterator
from typing import Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

import msgspec

from rook_tally.core.errors import UsageError
from rook_tally.core.struct_types import prepare


class TimeNotation(enum.Enum):
    """The notation of a time: RFC 3339, or a count since 1970 in one of three units."""

    RFC3339 = "rfc3339"
    SECONDS = "s"
    MILLISECONDS = "ms"
    MICROSECONDS = "us"


class PairsShape(
    msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True
):
    """An array whose items name a field and its value, by pointers into each."""

    at: str
    name: str
    value: str
    unit: str = ""
    time: str = ""


class ValuedShape(
    msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True
):
    """Objects that are one value: the members that hold it, its unit and its time."""

    value: str
    unit: str = ""
    time: str = ""


class JsonShape(
    msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True
):
    """The shape of a message. Pointers are those of the message, with `list` of each of its
    items. `words` are pairs of a word and what it means: a kind can be hashed."""

    time: str = ""
    time_in: TimeNotation | None = None
    zone: str = ""
    unit: str = ""
    skip: tuple[str, ...] = ()
    list: str | None = None
    station: str = ""
    pairs: PairsShape | None = None
    valued: ValuedShape | None = None
    words: tuple[tuple[str, float], ...] = ()


def shape_from_table(table: dict[str, Any]) -> JsonShape:
    """The shape a table of a file describes.

    Raises
    ------
    UsageError
        When something is unknown or cannot be meant; it says which.
    """
    told, words = dict(table), table.get("words")
    if isinstance(words, dict):
        told["words"] = list(words.items())
    try:
        shape = msgspec.convert(told, JsonShape)
    except msgspec.ValidationError as error:
        raise UsageError(f"json: {error}", remedy="see docs/layouts.md") from None
    for fault in _faults(shape):
        raise UsageError(f"json: {fault}", remedy="see docs/layouts.md")
    return shape


def shape_table(shape: JsonShape) -> dict[str, Any]:
    """The shape as the table of a file."""
    told: dict[str, Any] = msgspec.to_builtins(shape)
    if shape.words:
        told["words"] = dict(shape.words)
    return {name: list(one) if isinstance(one, tuple) else one for name, one in told.items()}


def _faults(shape: JsonShape) -> Iterator[str]:
    pairs = shape.pairs
    pointers = {"time": shape.time, "unit": shape.unit, "station": shape.station}
    pointers |= {"list": shape.list or "", **{f"skip {one}": one for one in shape.skip}}
    if pairs is not None:
        pointers |= {
            "pairs.at": pairs.at,
            "pairs.name": pairs.name,
            "pairs.value": pairs.value,
            "pairs.unit": pairs.unit,
            "pairs.time": pairs.time,
        }
        if not pairs.name or not pairs.value:
            yield "pairs need the pointers of a name and of a value"
    for name, pointer in pointers.items():
        if pointer and not pointer.startswith("/"):
            yield f"{name} = {pointer!r} is no JSON pointer; write it as /air/temp"
    if shape.list is not None and not shape.station:
        yield "a list of stations needs the pointer of their names: station"
    if shape.valued is not None and not shape.valued.value:
        yield "valued needs the member that holds the value"
    if shape.zone:
        try:
            ZoneInfo(shape.zone)
        except (ZoneInfoNotFoundError, ValueError, OSError):
            yield f"there is no zone {shape.zone}"
    if any(not math.isfinite(one) for _, one in shape.words):
        yield "words mean numbers"


prepare(JsonShape)
