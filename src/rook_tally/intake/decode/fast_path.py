"""What nearly every message is, read in whole columns: flat, of numbers, with nothing unusual.

Each function gives None for anything else, which its form's own decoder then reads with patience
and explains where it cannot. Both give the same values for what both can read.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from functools import lru_cache

import cbor2
import msgspec

from rook_tally.core.timestamps import SECOND_US
from rook_tally.intake.bounds import name_fault
from rook_tally.intake.decode.senml_cbor import loaded
from rook_tally.intake.decode.station_attributes import may_be_said
from rook_tally.intake.message import Decoded

_EPOCH_BEGINS_S, _EPOCH_ENDS_S = 1_000_000_000, 9_000_000_000
_RESERVED = frozenset({"station", "time"})
_numbers_by_name = msgspec.json.Decoder(dict[str, float])


# What is remembered of names takes little, whoever sends which.
_MOST_REMEMBERED = 2_000


def _are_plain(names: tuple[str, ...]) -> bool:
    """True if these names are fields and nothing else."""
    return bool(names) and not any(
        not one or name_fault(one) or one.lower() in _RESERVED or may_be_said(one) for one in names
    )


# The same, remembered: a station sends the same names every time.
_known_to_be_plain = lru_cache(4096)(_are_plain)


def _are_finite(numbers: Sequence[float]) -> bool:
    # Infinity less itself is no number, and a sum with one that is none is none.
    total = sum(numbers)
    return total - total == 0.0


def from_object(body: bytes) -> Decoded | None:
    """A flat JSON object of numbers and, perhaps, a time since 1970."""
    try:
        members = _numbers_by_name.decode(body)
    except (ValueError, RecursionError):  # msgspec's errors are ValueErrors
        return None
    time_us = None
    if "time" in members:
        time = members.pop("time")
        if not _EPOCH_BEGINS_S < time < _EPOCH_ENDS_S:
            return None
        time_us = round(time * SECOND_US)
    names = tuple(members)
    are_plain = _known_to_be_plain if len(body) <= _MOST_REMEMBERED else _are_plain
    if not are_plain(names):
        return None
    return Decoded((), (), (), names, tuple(members.values()), None, None, time_us)


def from_nothing(_body: bytes) -> None:
    """For forms that are always read with patience."""


def from_anything(body: bytes) -> Decoded | None:
    """A message whose form was not told: an object or pairs."""
    return from_object(body) if body[:1] == b"{" else from_pairs(body)


class _Record(
    msgspec.Struct,
    rename={
        "base_name": "bn",
        "base_time": "bt",
        "base_unit": "bu",
        "name": "n",
        "unit": "u",
        "value": "v",
    },
    forbid_unknown_fields=True,
    gc=False,
):
    """A SenML record with the labels that nearly all have, and no other."""

    value: float
    name: str = ""
    unit: str | None = None
    base_name: str | None = None
    base_time: float | None = None
    base_unit: str | None = None


_records = msgspec.json.Decoder(list[_Record])


def from_senml(body: bytes) -> Decoded | None:
    """A SenML pack whose first record alone has base fields, all of the same moment."""
    try:
        first, *rest = records = _records.decode(body)
    except (ValueError, RecursionError):
        return None
    for one in rest:
        if one.base_name is not None or one.base_time is not None or one.base_unit is not None:
            return None
    return _pack(
        first.base_name,
        first.base_time,
        first.base_unit,
        tuple([one.name for one in records]),
        [one.value for one in records],
        [one.unit for one in records],
        len(body) <= _MOST_REMEMBERED,
    )


_NUMBERS = frozenset({int, float})
_TEXTS = frozenset({str})
_TEXTS_OR_NONE = frozenset({str, type(None)})


def from_senml_cbor(body: bytes) -> Decoded | None:
    """The same in CBOR."""
    try:
        records = loaded(body)
        first = records[0]
        base, base_time, base_unit = first.pop(-2), first.pop(-3), first.pop(-4, None)
        values = [one.pop(2) for one in records]
        names = tuple([one.pop(0, "") for one in records])
        units = [one.pop(1, None) for one in records]
        if any(records):  # other labels, that have to be understood
            return None
    except (
        cbor2.CBORDecodeError,
        ValueError,
        TypeError,
        LookupError,
        AttributeError,
        OverflowError,
        RecursionError,
    ):
        return None
    if (
        not _NUMBERS.issuperset(map(type, values))
        or not _TEXTS.issuperset(map(type, names))
        or not _TEXTS_OR_NONE.issuperset(map(type, units))
        or type(base_unit) not in _TEXTS_OR_NONE
        or type(base) is not str
        or type(base_time) not in _NUMBERS
        or max(values) > 1e300  # a whole number may be more than a float can hold
        or min(values) < -1e300
        or not _are_finite(values)
    ):
        return None
    is_short = len(body) <= _MOST_REMEMBERED
    return _pack(base, base_time, base_unit, names, values, units, is_short)


def _pack(
    base: str | None,
    base_time_s: float | None,
    base_unit: str | None,
    names: tuple[str, ...],
    values: Sequence[float],
    units: Sequence[str | None],
    is_short: bool,
) -> Decoded | None:
    are_local = _known_to_be_local if is_short else _are_local
    if base is None or base_time_s is None or base[-1:] not in ("/", ":"):
        return None
    if not _EPOCH_BEGINS_S < base_time_s < _EPOCH_ENDS_S or not are_local(names):
        return None
    if base_unit is not None:
        units = [base_unit if one is None else one for one in units]
    return Decoded(
        fields=names,
        values=values,
        units=units,
        station=base[:-1],
        time_us=round(base_time_s * SECOND_US),
        each_at=True,
    )


def _are_local(names: tuple[str, ...]) -> bool:
    """True if they are fields that belong to the base name alone."""
    return _are_plain(names) and not any("/" in one or ":" in one for one in names)


_known_to_be_local = lru_cache(4096)(_are_local)


@lru_cache(1024)
def _plain_header(line: str) -> tuple[str, ...] | None:
    """The fields of a header `time,a,b`, parted by commas; None for any other."""
    time, *fields = names = line.split(",")
    if time != "time" or len(set(names)) != len(names) or any(sign in line for sign in '"[(;\t'):
        return None
    is_plain = _are_plain(tuple(fields)) and all(one == one.strip() for one in fields)
    return tuple(fields) if is_plain else None


def from_csv(body: bytes) -> Decoded | None:
    """Rows of whole epoch seconds and numbers under a header that begins with `time`."""
    try:
        head, *lines = body.decode("ascii").splitlines()
        fields = _plain_header(head) if len(head) <= _MOST_REMEMBERED else None
        if fields is None or b'"' in body or not lines:
            return None
        width = len(fields) + 1
        joined = ",".join(lines)
        if "_" in joined:  # which Python reads as part of a number
            return None
        cells = list(map(float, joined.split(",")))
    except ValueError:
        return None
    rows = len(lines)
    # As many cells in all, and as many commas in each line: then no line has more or fewer.
    if len(cells) != width * rows or any(one.count(",") != width - 1 for one in lines):
        return None
    seconds = cells[::width]
    if not _EPOCH_BEGINS_S < min(seconds) <= max(seconds) < _EPOCH_ENDS_S:
        return None
    if not _are_finite(cells):
        return None
    del cells[::width]
    moments = [round(one * SECOND_US) for one in seconds]
    each = itertools.chain.from_iterable
    repeated = [moments] * (width - 1)
    return Decoded(
        fields=fields * rows,
        values=cells,
        times=list(each(zip(*repeated, strict=True))),
        row_width=width - 1,
    )


_ALL_BUT_SIGNS = bytes(one for one in range(256) if one not in b"= ")


def from_pairs(body: bytes) -> Decoded | None:
    """One line of `name=value`, parted by single blanks, numbers all of them."""
    # What begins like JSON is taken for JSON, and refused as that.
    if body[:1] in b'{["':
        return None
    signs = body.translate(None, _ALL_BUT_SIGNS)
    if signs != b"= " * (len(signs) // 2) + b"=" or b"\n" in body:
        return None
    try:
        words = body.decode("ascii").replace("=", " ").split(" ")
        if any("_" in one for one in words[1::2]):
            return None
        names, numbers = words[::2], list(map(float, words[1::2]))
    except ValueError:
        return None
    time_us = None
    if "time" in names:
        time = numbers.pop(names.index("time"))
        names.remove("time")
        if not _EPOCH_BEGINS_S < time < _EPOCH_ENDS_S:
            return None
        time_us = round(time * SECOND_US)
    fields = tuple(names)
    are_told_once = _known_to_be_told_once if len(body) <= _MOST_REMEMBERED else _are_told_once
    if not are_told_once(fields) or not _are_finite(numbers):
        return None
    return Decoded((), (), (), fields, numbers, None, None, time_us)


def _are_told_once(names: tuple[str, ...]) -> bool:
    """True if they are fields, each once, in the letters that a line's names can have."""
    is_fit = all(
        name.isprintable() and len(name) <= 100 and not any(one in name for one in '",;')
        for name in names
    )
    return is_fit and _are_plain(names) and len(set(names)) == len(names)


_known_to_be_told_once = lru_cache(4096)(_are_told_once)
