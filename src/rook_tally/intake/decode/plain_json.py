"""Plain JSON: an object of named values, or a list of such objects.

`station` and `time` are members with a meaning of their own; every other member is a field.
Nested names are joined by dots. Numbers may come as text.
"""

from __future__ import annotations

from collections.abc import Iterator

from rook_tally.core.errors import DecodeError
from rook_tally.core.timestamps import time_us_from_epoch, time_us_from_text
from rook_tally.intake.decode.json_text import Json, kind_of, number_from
from rook_tally.intake.message import Decoded, Item, Refusal

STATION = "station"
TIME = "time"

_STATE_WORDS = frozenset({"on", "off", "true", "false", "open", "closed", "yes", "no"})


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
    items: list[Item] = []
    refused: list[Refusal] = []
    for at, one in enumerate(objects):
        if not isinstance(one, dict):
            refused.append(
                Refusal(at, "", f"{kind_of(one)} stands where an object of named values belongs")
            )
            continue
        _take_object(at, one, items, refused)
    return Decoded(tuple(items), tuple(refused))


def _take_object(
    at: int, members: dict[str, Json], items: list[Item], refused: list[Refusal]
) -> None:
    station = members.get(STATION)
    if station is not None and not isinstance(station, str):
        refused.append(Refusal(at, STATION, f"station is {kind_of(station)}, not text"))
        return
    time_us, time_note = _time_from(members.get(TIME))
    values = {name: value for name, value in members.items() if name not in (STATION, TIME)}
    named = list(_flattened(values))
    if not named:
        refused.append(Refusal(at, "", "the object holds no values"))
    for field, value in named:
        try:
            reading = _value_from(value)
        except ValueError as error:
            refused.append(Refusal(at, field, f"{field}: {error}"))
            continue
        items.append(Item(at, field, reading, station, None, time_us, time_note))


def _flattened(members: dict[str, Json], prefix: str = "") -> Iterator[tuple[str, Json]]:
    for name, value in members.items():
        if isinstance(value, dict):
            yield from _flattened(value, f"{prefix}{name}.")
        else:
            yield f"{prefix}{name}", value


def _value_from(value: Json) -> float | bool | str:
    if isinstance(value, bool):
        return value
    if isinstance(value, str) and value.strip().lower() in _STATE_WORDS:
        return value.strip().lower()
    if isinstance(value, int | float | str):
        return number_from(value)
    raise ValueError(f"{kind_of(value)} is not a reading")


def _time_from(value: Json) -> tuple[int | None, str]:
    """The sender's time, or None and why it cannot be read."""
    if value is None:
        return None, ""
    try:
        if isinstance(value, str):
            try:
                return time_us_from_epoch(float(value)), ""
            except ValueError:
                return time_us_from_text(value), ""
        if isinstance(value, bool) or not isinstance(value, int | float):
            raise ValueError(f"time is {kind_of(value)}")
        return time_us_from_epoch(float(value)), ""
    except (ValueError, OverflowError) as error:
        return None, str(error)
