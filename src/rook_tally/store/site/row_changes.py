"""What a change of configuration did to which rows, so that just that can be taken back."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import TypeAlias

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.site.door_settings import door_name_in
from rook_tally.store.site.site import WORKED_KIND

Key: TypeAlias = tuple[str, str | int]
Columns: TypeAlias = dict[str, object]

# What refers to another stands after it.
_TABLES: tuple[sa.Table, ...] = (
    schema.place,
    schema.station,
    schema.station_alias,
    schema.plan,
    schema.plan_mark,
    schema.limit_rule,
    schema.working,
    schema.worked,
    schema.place_group,
    schema.door_setting,
    schema.way,
    schema.watch,
    schema.sheet,
    schema.report,
    schema.guideline,
    schema.forward,
    schema.read_key,
    schema.gateway_key,
    schema.firmware_rollout,
    schema.page_setting,
    schema.page_device,
    schema.remark,
    schema.site,
    schema.shown_unit,
    schema.kind,
    schema.series,
    schema.correction,
    schema.reference_point,
    schema.bench_item,
    schema.meta,
)
# Of the store's own notes those that are settings.
_SETTINGS = (
    "closed_ways",
    "keys_wanted",
    "passwords_at",
    "backup_schedule",
    "strays_bytes",
    "strays_days",
    "thin_after_days",
)
NAMES = {
    "place": "name",
    "station": "key",
    "station_alias": "name",
    "plan": "name",
    "limit_rule": "quantity",
    "working": "slug",
    "place_group": "name",
    "way": "name",
    "watch": "slug",
    "sheet": "slug",
    "report": "slug",
    "guideline": "slug",
    "forward": "slug",
    "read_key": "name",
    "gateway_key": "name",
    "firmware_rollout": "kind",
    "page_device": "name",
    "remark": "text",
    "shown_unit": "quantity",
    "kind": "slug",
    "series": "field",
    "meta": "key",
}
"""The column that people know a row of a table by."""
_SECRETS = ("password", "secret", "apart")
# Tables whose documents hold secrets, with the column that names a row.
_SECRETIVE = {schema.way.name: schema.way.c.name, schema.forward.name: schema.forward.c.id}
# What counts up by itself is no part of what people set.
_COUNTED = {
    "forward": ("state",),
    "read_key": ("used_us", "requests", "sent_bytes"),
    "page_device": ("seen_us",),
}
_BY_NAME = {one.name: one for one in _TABLES}
_SUBJECTS = (
    Subject.SITE,
    Subject.WORKINGS,
    Subject.WATCHES,
    Subject.SHEETS,
    Subject.REMARKS,
    Subject.REPORTS,
    Subject.PAGE,
    Subject.FIRMWARE,
)


class RowChange(msgspec.Struct, frozen=True):
    """What became of a row: `before` and `after` are its columns that changed, all of them for a
    row that was begun (`before` None) or deleted (`after` None); `name` is what people call it."""

    table: str
    key: str | int
    before: Columns | None
    after: Columns | None
    name: str = ""


@dataclass
class RowChanges:
    """What became of all of them."""

    changes: tuple[RowChange, ...] = field(default=())


@contextmanager
def recording(connection: Connection) -> Iterator[RowChanges]:
    """Record what the statements within do to the configuration."""
    before, found = _rows(connection), RowChanges()
    yield found
    after = _rows(connection)
    changes = []
    for where in {**before, **after}:
        old, new = before.get(where), after.get(where)
        if old == new:
            continue
        name = _name_in(where[0], old) or _name_in(where[0], new)
        if (old is None or new is None) and _is_the_collectors(where[0], old or new or {}):
            continue
        if old is not None and new is not None:
            names = [name for name in old if old[name] != new[name]]
            old, new = {name: old[name] for name in names}, {name: new[name] for name in names}
        changes.append(RowChange(where[0], where[1], old, new, name))
    found.changes = tuple(changes)


def _name_in(table: str, columns: Columns | None) -> str:
    """What people call a row of these columns; empty for none."""
    if columns is None:
        return ""
    if table == schema.door_setting.name:
        return door_name_in(str(columns["document"]))
    return str(columns.get(NAMES.get(table, ""), ""))


def _is_the_collectors(table: str, row: Columns) -> bool:
    """True for rows that the collector begins and ends by itself: series, and what stands for a
    working."""
    return table in (schema.series.name, schema.worked.name) or row.get("kind") == WORKED_KIND


def check_they_stand(connection: Connection, changes: tuple[RowChange, ...]) -> None:
    """Nothing, if changes are as they were made.

    Raises
    ------
    UsageError
        When somebody has changed one of the rows since.
    """
    now = _rows(connection)
    for one in changes:
        there = now.get((one.table, one.key))
        stands = (
            there is None
            if one.after is None
            else there is not None and all(there[name] == told for name, told in one.after.items())
        )
        if not stands:
            raise UsageError(
                "somebody has changed this since",
                kept="nothing was taken back",
                remedy="look at it as it is now",
            )


def put_back(connection: Connection, changes: tuple[RowChange, ...]) -> None:
    """Take changes back that stand.

    Raises
    ------
    UsageError
        When something rests on one of the rows; nothing is written then.
    """
    try:
        _write_back(connection, changes)
    except sa.exc.IntegrityError as error:
        raise UsageError(
            "something rests on it by now",
            kept="nothing was taken back",
            remedy="delete what rests on it first",
        ) from error
    for subject in _SUBJECTS:
        note_change(connection, subject)


def _write_back(connection: Connection, changes: tuple[RowChange, ...]) -> None:
    order = list(_BY_NAME)
    for one in sorted(changes, key=lambda one: order.index(one.table)):
        if one.before is not None:
            _write(connection, one, one.before, is_new=one.after is None)
    for one in sorted(changes, key=lambda one: -order.index(one.table)):
        if one.before is None:
            table, key = _of(one)
            connection.execute(sa.delete(table).where(key == one.key))


def _write(connection: Connection, change: RowChange, columns: Columns, *, is_new: bool) -> None:
    table, key = _of(change)
    if table.name in _SECRETIVE:
        columns = _with_secrets(connection, change, columns)
    if is_new:
        connection.execute(sa.insert(table).values(**columns))
    else:
        connection.execute(sa.update(table).where(key == change.key).values(**columns))


def _with_secrets(connection: Connection, change: RowChange, columns: Columns) -> Columns:
    """The columns of a channel or a forward with what is secret of it as it stands: that is not
    written down with what was changed."""
    key = _SECRETIVE[change.table]
    document = _BY_NAME[change.table].c.document
    found = connection.execute(sa.select(document).where(key == change.key)).scalar()
    if found is None or "document" not in columns:
        return columns
    told = msgspec.json.decode(str(columns["document"]))
    now = msgspec.json.decode(found)
    kept = {name: now[name] for name in _SECRETS if name in now}
    return columns | {"document": msgspec.json.encode(told | kept).decode()}


def _without_secrets(columns: Columns) -> Columns:
    told = msgspec.json.decode(str(columns["document"]))
    bare = {name: value for name, value in told.items() if name not in _SECRETS}
    return columns | {"document": msgspec.json.encode(bare).decode()}


def _of(change: RowChange) -> tuple[sa.Table, sa.Column[object]]:
    table = _BY_NAME[change.table]
    (key,) = table.primary_key.columns
    return table, key


def _rows(connection: Connection) -> dict[Key, Columns]:
    found: dict[Key, Columns] = {}
    for table in _TABLES:
        (key,) = table.primary_key.columns
        wanted: sa.Select[tuple[object, ...]] = sa.select(table)
        if table is schema.series:
            # A series is begun by what arrives; the rest people set.
            wanted = sa.select(table)
        if table is schema.meta:
            wanted = wanted.where(table.c.key.in_(_SETTINGS))
        for row in connection.execute(wanted).mappings():
            # SQLAlchemy's own kind of text is none for JSON.
            columns = {str(name): value for name, value in row.items()}
            if table.name in _SECRETIVE:
                columns = _without_secrets(columns)
            for name in _COUNTED.get(str(table.name), ()):
                del columns[name]
            found[str(table.name), row[key.name]] = columns
    return found
