"""Watches and ways of telling as TOML files: to hand on, to keep, to write by hand.

[[watch]]
slug = "glaze-dust"
name = "Glaze dust"
sort = "above"
scope = {quantity = "pm25", place = "Glaze booth"}
limit = 25
clear = 18
unit = "µg/m³"
for = "5 min"
level = "high"
tell = ["this desktop", "a sound"]

Names ending in `_s` in a watch are written without it and as a length of time. Passwords and
secrets are not handed on.
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, TypeVar

import msgspec

from rook_tally.core.alarms.channels import Channel
from rook_tally.core.alarms.definitions import Watch
from rook_tally.core.alarms.sentences import span_words
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.levels import Level

FORMAT = 1
_T = TypeVar("_T", Watch, Channel)
_SPAN = re.compile(r"(\d+(?:\.\d+)?)\s*(s|min|h|d)")
_SECONDS = {"s": 1.0, "min": 60.0, "h": 3600.0, "d": 86400.0}
_CLOCK = re.compile(r"([01]?\d|2[0-4]):([0-5]\d)")


@dataclass(frozen=True, slots=True)
class WatchFile:
    """The content of a file of watches."""

    watches: tuple[Watch, ...] = ()
    ways: tuple[Channel, ...] = ()


def watches_to_toml(watches: Sequence[Watch], ways: Sequence[Channel]) -> str:
    """Watches and ways as the text of a file."""
    import tomlkit

    document = tomlkit.document()
    document["format"] = FORMAT
    if ways:
        bare = [msgspec.structs.replace(one, password="", secret="", apart="") for one in ways]
        document["way"] = [table_of(one) for one in bare]
    if watches:
        document["watch"] = [table_of(one) for one in watches]
    return tomlkit.dumps(document)


def table_of(told: Watch | Channel) -> dict[str, Any]:
    """A watch or channel as a table of a file."""
    table: dict[str, Any] = _written(msgspec.to_builtins(told))
    return table


def _written(value: Any) -> Any:
    """A value as a person writes it."""
    if not isinstance(value, dict):
        return list(value) if isinstance(value, list | tuple) else value
    told: dict[str, Any] = {}
    for name, one in value.items():
        if name.endswith("_s") and isinstance(one, int | float):
            told[name.removesuffix("_s")] = written_span(one)
        elif name.endswith("_min"):
            told[name.removesuffix("_min")] = f"{one // 60:02}:{one % 60:02}"
        elif name == "level":
            told[name] = Level(one).wording
        elif isinstance(one, list | tuple):
            told[name] = [_written(each) for each in one]
        else:
            told[name] = _written(one)
    return told


def watches_from_toml(text: str) -> WatchFile:
    """Read a file of watches.

    Raises
    ------
    UsageError
        With the watch and the name it is about.
    """
    try:
        document = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise UsageError(f"this is no TOML: {error}", kept="nothing was changed") from error
    number = document.pop("format", FORMAT)
    if not isinstance(number, int) or number > FORMAT:
        raise UsageError(
            "this file was written by a newer rook-tally",
            kept="nothing was changed",
            remedy="bring this one up to date",
        )
    unknown = set(document) - {"watch", "way"}
    if unknown:
        raise UsageError(
            f"a file holds watch and way, not {', '.join(sorted(unknown))}",
            kept="nothing was changed",
        )
    return WatchFile(
        tuple(from_table(one, Watch) for one in document.get("watch", [])),
        tuple(from_table(one, Channel) for one in document.get("way", [])),
    )


def from_table(table: Any, wanted: type[_T]) -> _T:
    """The watch or channel of a table.

    Raises
    ------
    UsageError
        With its name and what is wrong.
    """
    name = table.get("name") or table.get("slug") or "?" if isinstance(table, dict) else "?"
    try:
        return msgspec.convert(_meant(table, wanted), type=wanted)
    except (msgspec.ValidationError, ValueError) as error:
        raise UsageError(
            f"{name}: {error}",
            kept="nothing was changed",
            remedy="see docs/watches.md for what a file holds",
        ) from error


def _meant(value: Any, struct: Any) -> Any:
    """A table with its lengths of time, clocks and levels as they are kept; ValueError for a name
    that its struct does not have."""
    if not isinstance(value, dict):
        return value
    fields = {one.name: one.type for one in msgspec.structs.fields(struct)}
    told: dict[str, Any] = {}
    for name, one in value.items():
        if f"{name}_s" in fields:
            told[f"{name}_s"] = seconds_of(one)
        elif f"{name}_min" in fields:
            told[f"{name}_min"] = minutes_of(one)
        elif name == "level":
            told[name] = int(_level(one))
        elif name not in fields:
            known = ", ".join(one.removesuffix("_s").removesuffix("_min") for one in fields)
            raise ValueError(f"there is no {name}; it can have {known}")
        else:
            told[name] = _inner(one, fields[name])
    return told


def _inner(value: Any, kind: Any) -> Any:
    for struct in _structs_in(kind):
        if isinstance(value, list):
            return [_meant(one, struct) for one in value]
        return _meant(value, struct)
    return value


def _structs_in(kind: Any) -> list[Any]:
    inner = getattr(kind, "__args__", ())
    return [
        one for one in (kind, *inner) if isinstance(one, type) and issubclass(one, msgspec.Struct)
    ]


def written_span(length_s: float) -> str | float:
    """A length of time in words, or as a number of seconds where words would round it."""
    words = span_words(length_s)
    found = _SPAN.fullmatch(words)
    return words if found is not None and seconds_of(words) == length_s else length_s


def seconds_of(text: Any) -> float:
    """A length of time such as `5 min`, or a number of seconds; ValueError for anything else."""
    if isinstance(text, int | float) and not isinstance(text, bool):
        return float(text)
    found = _SPAN.fullmatch(str(text).strip())
    if found is None:
        raise ValueError(f"{text!r} is no length of time such as 90 s, 5 min, 3 h or 7 d")
    return float(found[1]) * _SECONDS[found[2]]


def minutes_of(text: Any) -> int:
    """Minutes after midnight of a time of day such as `07:30`; ValueError for anything else."""
    found = _CLOCK.fullmatch(str(text).strip())
    if found is None:
        raise ValueError(f"{text!r} is no time of day such as 07:30")
    return int(found[1]) * 60 + int(found[2])


def _level(text: Any) -> Level:
    try:
        return Level[str(text).upper()]
    except KeyError:
        known = ", ".join(one.wording for one in Level)
        raise ValueError(f"{text!r} is no level; there are {known}") from None
