"""SenML in JSON (RFC 8428): a list of records whose base fields carry on to later records."""

from __future__ import annotations

import msgspec
from msgspec.structs import replace

from rook_tally.core.errors import DecodeError
from rook_tally.core.timestamps import SECOND_US, time_us_from_epoch
from rook_tally.intake.bounds import (
    LONGEST_NAME,
    LONGEST_UNIT,
    RejectedValues,
    check_count,
    name_fault,
    shortened,
)
from rook_tally.intake.decode.json_text import Json, kind_of, number_from
from rook_tally.intake.decode.station_attributes import said_from
from rook_tally.intake.message import Decoded, DecodedValue, StationAttribute

_LABELS = frozenset({"bn", "bt", "bu", "bv", "bs", "bver", "n", "u", "v", "vs", "vb", "vd", "s"})
_VERSION, _ABSURD = 10, 1_000_000
# RFC 8428, 4.5.3: smaller times are relative to now.
_RELATIVE_TIME_END_S = 2**28


def looks_like(document: Json) -> bool:
    """True if a parsed message is a list whose first record carries SenML's labels."""
    if not isinstance(document, list) or not document or not isinstance(document[0], dict):
        return False
    labels = document[0].keys()
    return bool(labels & {"bn", "n"}) and bool(labels & (_LABELS - {"n"}))


class _Base(msgspec.Struct, frozen=True):
    name: str = ""
    time_s: float = 0.0
    unit: str | None = None
    value: float = 0.0


def decode(document: Json, *, arrived_us: int) -> Decoded:
    """The values of a parsed SenML message, base fields resolved.

    The station is the base name up to its last `/` or `:`, the field what follows, together with
    the record's own name; without a base name the record's name is divided that way.

    Raises
    ------
    DecodeError
        When it is not a list of records, is empty, or needs a newer version of SenML.
    """
    if not isinstance(document, list):
        raise DecodeError(
            f"the message is {kind_of(document)}, not a list of SenML records",
            remedy="send a SenML pack, or plain JSON as application/json",
        )
    if not document:
        raise DecodeError("the message is an empty list", remedy="send at least one record")
    items: list[DecodedValue] = []
    refused = RejectedValues()
    said: list[StationAttribute] = []
    base = _Base()
    for at, record in enumerate(document):
        if not isinstance(record, dict):
            refused.add(at, "", f"{kind_of(record)} stands where a record belongs")
            continue
        _check_version(record.get("bver"))
        try:
            base = _carried_on(base, record)
            word = _word_from(at, record, base)
            if word is not None:
                said.append(word)
                continue
            item = _item_from(at, record, base, arrived_us)
        except (ValueError, OverflowError) as error:
            refused.add(at, _name_in(record), str(error))
            continue
        if item is not None:
            items.append(item)
    check_count(len(items))
    return Decoded(tuple(items), refused.told(), tuple(said))


def _name_in(record: dict[str, Json]) -> str:
    name = record.get("n", "")
    return name if isinstance(name, str) else ""


def _word_from(at: int, record: dict[str, Json], base: _Base) -> StationAttribute | None:
    """A station's attribute from text, or from the state of a control."""
    if "vs" not in record and "vb" not in record:
        return None
    station, field = _divided(base.name, _full_name(base, record))
    return said_from(field, record.get("vs", record.get("vb")), at=at, station=station)


def _check_version(version: Json) -> None:
    if version is None:
        return
    if isinstance(version, bool) or not isinstance(version, int) or version > _VERSION:
        told = str(version) if type(version) is int and version < _ABSURD else kind_of(version)
        raise DecodeError(
            f"the pack is SenML version {told}, this program reads up to {_VERSION}",
            remedy="let the sender write version 10",
        )


def _carried_on(base: _Base, record: dict[str, Json]) -> _Base:
    if "bn" in record:
        base = replace(base, name=_checked_name(_text(record, "bn")))
    if "bu" in record:
        base = replace(base, unit=_unit(record, "bu"))
    if "bt" in record:
        base = replace(base, time_s=_number(record, "bt"))
    if "bv" in record:
        base = replace(base, value=_number(record, "bv"))
    return base


def _item_from(
    at: int, record: dict[str, Json], base: _Base, arrived_us: int
) -> DecodedValue | None:
    unknown = [label for label in record if label.endswith("_")]
    if unknown:
        raise ValueError(f"{shortened(unknown[0])} must be understood (RFC 8428, 4.4) and is not")
    name = _full_name(base, record)
    if "vs" in record or "vd" in record:
        raise ValueError(f"{name}: text and data are not readings")
    if "v" in record:
        value: float | bool = base.value + _number(record, "v")
    elif "vb" in record:
        state = record["vb"]
        if not isinstance(state, bool):
            raise ValueError(f"{name}: vb is {kind_of(state)}, not true or false")
        value = state
    elif "n" in record or "s" in record:
        raise ValueError(f"{name}: the record holds no value")
    else:
        return None  # base fields only
    station, field = _divided(base.name, name)
    if not field:
        raise ValueError("the record has no name")
    unit = _unit(record, "u") if "u" in record else base.unit
    time_us, note = _time_from(record, base, arrived_us)
    return DecodedValue(at, field, value, station, unit, time_us, note)


def _full_name(base: _Base, record: dict[str, Json]) -> str:
    return _checked_name(base.name + (_text(record, "n") if "n" in record else ""))


def _checked_name(name: str) -> str:
    # The base name and its own: each may be as long as a name may be.
    fault = name_fault(name[:LONGEST_NAME]) or name_fault(name[LONGEST_NAME:])
    if fault:
        raise ValueError(fault)
    return name


def _unit(record: dict[str, Json], label: str) -> str:
    unit = _text(record, label)
    if len(unit) > LONGEST_UNIT:
        raise ValueError(f"{label}: a unit of more than {LONGEST_UNIT} characters")
    return unit


def _time_from(record: dict[str, Json], base: _Base, arrived_us: int) -> tuple[int | None, str]:
    if "t" not in record and base.time_s == 0.0:
        return None, ""
    seconds = base.time_s + (_number(record, "t") if "t" in record else 0.0)
    if seconds == 0.0:
        return None, ""
    try:
        if seconds < _RELATIVE_TIME_END_S:
            return arrived_us + round(seconds * SECOND_US), ""
        return time_us_from_epoch(seconds), ""
    except (ValueError, OverflowError) as error:
        return None, str(error)


def _divided(base_name: str, name: str) -> tuple[str | None, str]:
    """Station and field of a full name."""
    divider = max(base_name.rfind("/"), base_name.rfind(":"))
    if divider < 0 and not base_name:
        divider = max(name.rfind("/"), name.rfind(":"))
    if divider < 0:
        return None, name
    return name[:divider], name[divider + 1 :]


def _text(record: dict[str, Json], label: str) -> str:
    value = record[label]
    if not isinstance(value, str):
        raise ValueError(f"{label} is {kind_of(value)}, not text")
    return value


def _number(record: dict[str, Json], label: str) -> float:
    value = record[label]
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise ValueError(f"{label} is {kind_of(value)}, not a number")
    return number_from(value)
