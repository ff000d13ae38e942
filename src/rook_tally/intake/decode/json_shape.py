"""JSON of other people's shapes, as a kind describes them: any of it becomes plain values."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, tzinfo
from zoneinfo import ZoneInfo

import msgspec

from rook_tally.core.errors import DecodeError
from rook_tally.core.quantities.json_shape import JsonShape, PairsShape, TimeNotation
from rook_tally.core.quantities.message_bytes import pointed_at
from rook_tally.core.timestamps import time_us_from_epoch, time_us_from_text
from rook_tally.intake.bounds import DEEPEST, RejectedValues, check_count, name_fault, too_deep
from rook_tally.intake.decode.json_text import Json, kind_of, number_from
from rook_tally.intake.decode.text_value import value_and_unit
from rook_tally.intake.message import Decoded, DecodedValue

_REMEDY = "compare the message with the shape of its kind: `rook-tally kind try`"
_SCALES = {TimeNotation.SECONDS: 1e6, TimeNotation.MILLISECONDS: 1e3, TimeNotation.MICROSECONDS: 1}


def decode(document: Json, shape: JsonShape) -> Decoded:
    """The values of a message; where it names stations each with its station's own name.

    Raises
    ------
    DecodeError
        When nothing is where the shape says.
    """
    found = _Found(shape)
    if not shape.station:
        found.take(document, None, 0)
    else:
        listed = [document] if shape.list is None else _at(document, shape.list)
        if not isinstance(listed, list):
            raise DecodeError(
                f"at {shape.list or 'the top'} is {kind_of(listed)}, not a list of stations",
                remedy=_REMEDY,
            )
        for at, one in enumerate(listed):
            name = _text_at(one, shape.station)
            if not name or name_fault(name):
                found.refused.add(at, "", f"no station's name is at {shape.station}")
                continue
            found.take(one, name, at)
            check_count(len(found.items))
    return Decoded(tuple(found.items), found.refused.told())


class _Found:
    """What is gathered from a message."""

    def __init__(self, shape: JsonShape) -> None:
        self._shape = shape
        self._zone: tzinfo = ZoneInfo(shape.zone) if shape.zone else UTC
        self._words = {name.casefold(): value for name, value in shape.words}
        self.items: list[DecodedValue] = []
        self.refused = RejectedValues()

    def take(self, document: Json, station: str | None, at: int) -> None:
        """One station's part of the message, or all of it."""
        shape = self._shape
        unit = _text_at(document, shape.unit) if shape.unit else None
        time_us, note = self._moment(document, shape.time)
        if shape.pairs is not None:
            self._take_pairs(document, shape.pairs, station, at, (unit, time_us, note))
            return
        skipped = {shape.time, shape.unit, shape.station, *shape.skip} - {""}
        for field, value, pointer in _leaves(document, skipped, shape, ("", "")):
            own_unit, own_time, own_note = unit, time_us, note
            if isinstance(value, dict) and shape.valued is not None:
                valued = shape.valued
                if valued.unit and valued.unit in value:
                    own_unit = str(value[valued.unit])
                if valued.time and valued.time in value:
                    own_time, own_note = self._told(value[valued.time])
                value = value[valued.value]
            self._add(at, field or pointer, value, station, (own_unit, own_time, own_note))

    def _take_pairs(
        self,
        document: Json,
        pairs: PairsShape,
        station: str | None,
        at: int,
        told: tuple[str | None, int | None, str],
    ) -> None:
        several = _at(document, pairs.at)
        if not isinstance(several, list):
            raise DecodeError(f"at {pairs.at} is {kind_of(several)}, not a list", remedy=_REMEDY)
        for row, one in enumerate(several):
            field = _text_at(one, pairs.name)
            try:
                value = pointed_at(one, pairs.value)
            except LookupError:
                field = None
            if field is None:
                where = f"{pairs.name} and {pairs.value}"
                self.refused.add(row, "", f"no name and value are at {where}")
                continue
            unit, time_us, note = told
            if pairs.unit:
                unit = _text_at(one, pairs.unit) or unit
            if pairs.time:
                own_us, own_note = self._moment(one, pairs.time)
                time_us, note = (
                    (time_us, note) if own_us is None and not own_note else (own_us, own_note)
                )
            self._add(at if station else row, field, value, station, (unit, time_us, note))
            check_count(len(self.items))

    def _add(
        self,
        at: int,
        field: str,
        value: Json,
        station: str | None,
        told: tuple[str | None, int | None, str],
    ) -> None:
        fault = name_fault(field)
        if fault:
            self.refused.add(at, field, fault)
            return
        unit, time_us, note = told
        try:
            reading, own_unit = self._value(value)
        except ValueError as error:
            self.refused.add(at, field, f"{field}: {error}")
            return
        unit = own_unit or (None if isinstance(reading, str | bool) else unit)
        self.items.append(DecodedValue(at, field, reading, station, unit, time_us, note))

    def _value(self, value: Json) -> tuple[float | bool | str, str | None]:
        if isinstance(value, str):
            word = self._words.get(value.strip().casefold())
            return (word, None) if word is not None else value_and_unit(value)
        if isinstance(value, bool):
            word = self._words.get(str(value).casefold())
            return (value if word is None else word), None
        if isinstance(value, int | float):
            return number_from(value), None
        raise ValueError(f"{kind_of(value)} is not a reading")

    def _moment(self, document: Json, pointer: str) -> tuple[int | None, str]:
        if not pointer:
            return None, ""
        try:
            return self._told(pointed_at(document, pointer))
        except LookupError:
            return None, ""

    def _told(self, value: Json) -> tuple[int | None, str]:
        """A moment; None and why where it cannot be read as the shape says."""
        notation = self._shape.time_in
        try:
            if isinstance(value, bool) or not isinstance(value, int | float | str):
                raise ValueError(f"time is {kind_of(value)}")
            if notation is TimeNotation.RFC3339:
                return time_us_from_text(str(value), self._zone), ""
            try:
                number = float(value)
            except ValueError:
                return time_us_from_text(str(value), self._zone), ""
            if notation is None:
                return time_us_from_epoch(number), ""
            # Checked as seconds: a number past the year 9999 is none.
            return time_us_from_epoch(number * _SCALES[notation] / 1e6), ""
        except (ValueError, OverflowError) as error:
            return None, str(error)


def _at(document: Json, pointer: str) -> Json:
    try:
        return pointed_at(document, pointer)
    except LookupError:
        raise DecodeError(f"nothing is at {pointer}", remedy=_REMEDY) from None


def _text_at(document: Json, pointer: str) -> str | None:
    """A name or a unit; a number may be a name as well."""
    try:
        value = pointed_at(document, pointer)
    except LookupError:
        return None
    if isinstance(value, str):
        return value.strip()
    is_number = isinstance(value, int) and not isinstance(value, bool)
    return msgspec.json.encode(value).decode() if is_number else None


def _leaves(
    value: Json, skipped: set[str], shape: JsonShape, at: tuple[str, str], depth: int = 1
) -> Iterator[tuple[str, Json, str]]:
    """Every value with its name, nested names joined by dots, and its pointer."""
    if depth > DEEPEST:
        raise too_deep()
    name, pointer = at
    if pointer in skipped:
        return
    is_one = shape.valued is not None and isinstance(value, dict) and shape.valued.value in value
    if isinstance(value, dict) and not is_one:
        for key, one in value.items():
            below = f"{pointer}/{key.replace('~', '~0').replace('/', '~1')}"
            where = (f"{name}.{key}" if name else key, below)
            yield from _leaves(one, skipped, shape, where, depth + 1)
    elif isinstance(value, list):
        for number, one in enumerate(value):
            where = (f"{name}.{number}" if name else str(number), f"{pointer}/{number}")
            yield from _leaves(one, skipped, shape, where, depth + 1)
    elif value is not None:
        yield name, value, pointer
