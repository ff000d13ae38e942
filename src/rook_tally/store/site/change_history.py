"""What people changed in the configuration: when, who, what was and what is; and one of these
changes taken back."""

from __future__ import annotations

import enum
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from dataclasses import replace as replace_row
from typing import TypeAlias

import msgspec
import sqlalchemy as sa
from msgspec.structs import replace
from sqlalchemy.engine import Connection

from rook_tally.core.timestamps import rfc3339
from rook_tally.store.base import schema
from rook_tally.store.site.row_changes import NAMES, RowChange, recording
from rook_tally.store.site.site import REMOVED_FIELD_KIND

# Made once: msgspec falls over when two threads are the first to decode a type.
_ROW_CHANGES_DECODER = msgspec.json.Decoder(tuple[RowChange, ...])

KEPT = 5_000
"""Older changes are forgotten."""
_MOST_TOLD, _LONGEST = 3, 48
_REMOVED = " removed "


@dataclass(frozen=True, slots=True)
class ConfigurationChange:
    """A change: `undone_by` is the number of the change that took it back, None while it stands;
    `words` say in a line what it did."""

    id: int
    time_us: int
    who: str
    changes: tuple[RowChange, ...]
    undone_by: int | None = None
    words: str = ""


class ChangeSort(enum.Enum):
    """What became of something."""

    ADDED = "added"
    CHANGED = "changed"
    DELETED = "deleted"


@dataclass(frozen=True, slots=True)
class ChangeLine:
    """What became of one thing, in a line."""

    sort: ChangeSort
    words: str


@contextmanager
def noting_changes(connection: Connection, *, who: str, now_us: int) -> Iterator[None]:
    """Write down what the statements within change in the configuration, if they do."""
    newest = _newest(connection)
    with recording(connection) as made:
        yield
    # A change that was taken back has been written down as that already.
    if made.changes and _newest(connection) == newest:
        write_down(connection, made.changes, who=who, now_us=now_us)


def configuration_changes(connection: Connection, *, most: int = 200) -> list[ConfigurationChange]:
    """The last changes, the newest first."""
    table = schema.configuration_change
    rows = connection.execute(sa.select(table).order_by(table.c.id.desc()).limit(most))
    names = _names(connection)
    found = [change_of(row) for row in rows]
    return [replace_row(one, words=_words(one.changes, names)) for one in found]


def change_lines(connection: Connection, changes: tuple[RowChange, ...]) -> list[ChangeLine]:
    """What changes do, a line each."""
    names = {**_names_in(changes), **_names(connection)}
    told = [ChangeLine(_sort(one), _told(one, names)) for one in _as_people_see(changes)]
    # Several stand elsewhere when one does.
    return list(dict.fromkeys(told))


_Names: TypeAlias = Mapping[tuple[str, object], str]
"""What people call a row, by its table and key."""
# The columns that name a row of another table.
_OF = {
    "parent_id": schema.place.name,
    "place_id": schema.place.name,
    "station_id": schema.station.name,
    "plan_id": schema.plan.name,
}


def _names(connection: Connection) -> _Names:
    """The places and stations there are."""
    found: dict[tuple[str, object], str] = {}
    for table in (schema.place, schema.station, schema.plan):
        name = table.c[NAMES[table.name]]
        for row in connection.execute(sa.select(table.c.id, name.label("name"))):
            found[table.name, row.id] = row.name
    return found


def _names_in(changes: tuple[RowChange, ...]) -> _Names:
    """The places and stations that changes deleted."""
    return {
        (one.table, one.key): one.name
        for one in changes
        if one.table in _OF.values() and one.before is not None and one.after is None
    }


def _as_people_see(changes: tuple[RowChange, ...]) -> list[RowChange]:
    """Changes of rows as changes of things: a row that stands for another thing afterwards is one
    deleted and one added."""
    found: list[RowChange] = []
    for one in changes:
        if {**(one.before or {}), **(one.after or {})}.get("kind") == REMOVED_FIELD_KIND:
            # It only keeps a removed field, which is told by itself.
            continue
        if one.before is not None and one.after is not None and _is_another_thing(one):
            name = str(one.after.get(NAMES.get(one.table, ""), ""))
            found += [replace(one, after=None), replace(one, before=None, name=name)]
        else:
            found.append(one)
    return sorted(found, key=lambda one: one.after is None, reverse=True)


def _is_another_thing(one: RowChange) -> bool:
    before, after = one.before or {}, one.after or {}
    if one.table == schema.limit_rule.name:
        return bool({"quantity", "place_id"} & before.keys())
    if NAMES.get(one.table) not in before:
        return False
    told, now = _members(before), _members(after)
    changed = [name for name in {**told, **now} if told.get(name) != now.get(name)]
    return len(changed) > _RENAMED


_RENAMED = 2
"""So many members a renamed thing changes: its name, and what formulas call it."""


def _sort(one: RowChange) -> ChangeSort:
    if one.before is None:
        return ChangeSort.ADDED
    return ChangeSort.DELETED if one.after is None else ChangeSort.CHANGED


def _newest(connection: Connection) -> int:
    newest = sa.func.max(schema.configuration_change.c.id)
    return connection.execute(sa.select(newest)).scalar() or 0


def write_down(
    connection: Connection, changes: tuple[RowChange, ...], *, who: str, now_us: int
) -> int:
    """Write a change down; returns its number."""
    table = schema.configuration_change
    written = msgspec.json.encode(changes).decode()
    inserted = connection.execute(
        sa.insert(table).values(time_us=now_us, who=who, document=written)
    )
    key = inserted.inserted_primary_key
    assert key is not None
    number = int(key[0])
    connection.execute(sa.delete(table).where(table.c.id <= number - KEPT))
    return number


def change_of(row: sa.Row[tuple[object, ...]]) -> ConfigurationChange:
    """Read a change, without its words, from a row of its table."""
    changes = _ROW_CHANGES_DECODER.decode(row.document)
    return ConfigurationChange(row.id, row.time_us, row.who, changes, row.undone_by)


def _words(changes: tuple[RowChange, ...], known: _Names) -> str:
    seen = _as_people_see(changes)
    names = {**known, **_names_in(changes)}
    lines = list(dict.fromkeys(_told(one, names) for one in seen))
    told = lines[:_MOST_TOLD]
    more = len(lines) - len(told)
    return "; ".join(told) + (f"; and {more} more" if more > 0 else "")


def _told(one: RowChange, names: _Names) -> str:
    thing = f"{_noun(one)} {one.name}".strip()
    if one.table == schema.plan_mark.name:
        return _hung(one, names)
    if one.table == schema.series.name and (one.before or {}).keys() == {"station_id"}:
        was, now = (
            str(_named("station_id", told or {}, names)) for told in (one.before, one.after)
        )
        if _REMOVED in now:
            return f"{thing} of {was} removed"
        if _REMOVED in was:
            return f"{thing} of {now} restored"
    if one.before is None:
        return f"{thing} added"
    if one.after is None:
        return f"{thing} deleted"
    if one.before.keys() == {"position"}:
        return f"order of the {_NOUNS.get(one.table, one.table)}s"
    if one.table == schema.station.name and "removed_us" in one.after:
        key, _, _ = one.name.partition(" ")
        return f"station {key} restored" if one.after["removed_us"] is None else f"{thing} removed"
    before, after = _members(one.before), _members(one.after)
    told = [
        f"{_MEMBERS.get(name, name.replace('_', ' '))} {_short(_named(name, before, names))} → "
        f"{_short(_named(name, after, names))}"
        for name in dict.fromkeys([*before, *after])
        if before.get(name) != after.get(name)
    ]
    return f"{thing}: " + ", ".join(told[:_MOST_TOLD])


def _hung(one: RowChange, names: _Names) -> str:
    """What became of a station on a plan."""
    whole = one.after if one.before is None else one.before
    if one.before is not None and one.after is not None:
        return "station moved on a plan"
    station, plan = (_named(name, whole or {}, names) for name in ("station_id", "plan_id"))
    return f"{station} {'hung on' if one.before is None else 'taken off'} {plan}"


def _noun(one: RowChange) -> str:
    if one.table == schema.series.name and "limits" not in (one.before or {}):
        return "field"
    return _NOUNS.get(one.table, one.table)


def _named(member: str, columns: Mapping[str, object], names: _Names) -> object:
    """A member's value as people read it: a place or station by its name, a moment as a time."""
    value = columns.get(member)
    if member in _OF and value is not None:
        return names.get((_OF[member], value), f"a {_OF[member]} that is gone")
    if member.endswith("_us") and isinstance(value, int):
        return rfc3339(value)
    return value


_MEMBERS = {
    "parent_id": "in",
    "place_id": "place",
    "station_id": "station",
    "cadence_s": "seconds between reports",
    "retired_us": "out of use since",
    "hangs": "where it hangs",
    "photograph_id": "photograph",
    "picture_id": "picture",
    "maintenance_from_us": "under maintenance from",
    "maintenance_to_us": "under maintenance until",
}
_NOUNS = {
    "station_alias": "former key",
    "way": "channel",
    "door_setting": "door",
    "meta": "setting",
    "place_group": "group",
    "shown_unit": "unit of",
    "limit_rule": "limits of",
    "series": "limits of field",
    "worked": "result",
    "site": "site",
}


def _without_nothing(value: object) -> object:
    """Limits without hours are told as they were when they could have none."""
    if not (isinstance(value, dict) and {"above", "below"} <= value.keys()):
        return value
    return {name: one for name, one in value.items() if one or name in ("above", "below")}


def _members(columns: dict[str, object]) -> dict[str, object]:
    """The columns, those of a document one by one."""
    found: dict[str, object] = {}
    for name, value in columns.items():
        is_document = isinstance(value, str) and (
            # Settings are numbers and words, or several members in one.
            name in ("document", "limits") or (name == "value" and value.startswith("{"))
        )
        document = msgspec.json.decode(str(value)) if is_document else None
        document = _without_nothing(document)
        if isinstance(document, dict):
            found |= {told: _without_nothing(one) for told, one in document.items()}
        else:
            found[name] = value
    return found


def _short(value: object) -> str:
    if value in (None, ""):
        return "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return f"{value:g}"
    told = value if isinstance(value, str) else msgspec.json.encode(value).decode()
    return told if len(told) <= _LONGEST else told[: _LONGEST - 1] + "…"
