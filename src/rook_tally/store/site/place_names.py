"""What names a place elsewhere: formulas, watches, groups, sheets, remarks. A place that is called
otherwise, or becomes part of another, is called so by all of them."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import TypeVar

import msgspec
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.alarms.definitions import Watch
from rook_tally.core.quantities.named_series import slug_of
from rook_tally.core.wall.definitions import WallSheet
from rook_tally.core.workings.definitions import Working
from rook_tally.store.base import schema
from rook_tally.store.base.changes import Subject, note_change
from rook_tally.store.site.site import WORKED_KIND

# A reference's place: behind a quantity's @, quoted or as a slug.
_PLACE = re.compile(r'(?<=\w@)("[^"]*"|[^\W_][\w.:-]*)')
_PLAIN = re.compile(r"[^\W_][\w.:-]*")
T = TypeVar("T", Working, Watch, WallSheet)


def renamed_in_text(text: str, old: str, new: str) -> str:
    """A formula, or a text with references, in which a place is called otherwise."""
    wanted = slug_of(old)
    slug = slug_of(new)
    written = slug if _PLAIN.fullmatch(slug) else f'"{new}"'

    def named(found: re.Match[str]) -> str:
        is_it = slug_of(found[0].strip('"')) == wanted
        return written if is_it else found[0]

    return _PLACE.sub(named, text)


def rename_everywhere(connection: Connection, old: str, new: str) -> None:
    """Call a place otherwise wherever it is named; its own row is the caller's."""

    def name(told: str) -> str:
        return new if told and slug_of(told) == slug_of(old) else told

    def text(told: str) -> str:
        return renamed_in_text(told, old, new)

    rewrite_texts(connection, text, name)
    rewrite_watches(connection, lambda one: _watch(one, name))
    _rename_in_groups(connection, old, new)
    remark, worked = schema.remark, schema.worked
    connection.execute(sa.update(remark).where(remark.c.place == old).values(place=new))
    connection.execute(sa.update(worked).where(worked.c.place == old).values(place=new))
    _rename_worked(connection, old, new)
    for subject in (Subject.WORKINGS, Subject.WATCHES, Subject.SHEETS, Subject.REMARKS):
        note_change(connection, subject)


def rewrite_texts(
    connection: Connection, text: Callable[[str], str], place: Callable[[str], str] = str
) -> None:
    """Change the formulas of workings and the references of sheets, and the places of workings."""
    _rewrite(connection, schema.working, Working, lambda one: _working(one, place, text))
    _rewrite(connection, schema.sheet, WallSheet, lambda one: _sheet(one, text))


def rewrite_watches(connection: Connection, change: Callable[[Watch], Watch]) -> None:
    """Change every watch; those that stay the same are left alone."""
    _rewrite(connection, schema.watch, Watch, change)


def _rewrite(
    connection: Connection, table: sa.Table, kind: type[T], change: Callable[[T], T]
) -> None:
    for row in connection.execute(sa.select(table.c.id, table.c.document)).all():
        before = msgspec.json.decode(row.document, type=kind)
        after = change(before)
        if after != before:
            written = msgspec.json.encode(after).decode()
            connection.execute(
                sa.update(table).where(table.c.id == row.id).values(document=written)
            )


def _working(one: Working, name: Callable[[str], str], text: Callable[[str], str]) -> Working:
    score = one.score
    if score is not None:
        inputs = tuple(
            msgspec.structs.replace(each, formula=text(each.formula)) for each in score.inputs
        )
        score = msgspec.structs.replace(score, inputs=inputs)
    return msgspec.structs.replace(
        one, formula=text(one.formula), score=score, place=name(one.place)
    )


def _watch(one: Watch, name: Callable[[str], str]) -> Watch:
    scope = msgspec.structs.replace(one.scope, place=name(one.scope.place))
    guards = tuple(
        msgspec.structs.replace(
            each, scope=msgspec.structs.replace(each.scope, place=name(each.scope.place))
        )
        for each in one.guards
    )
    return msgspec.structs.replace(one, scope=scope, guards=guards)


def _sheet(one: WallSheet, text: Callable[[str], str]) -> WallSheet:
    return one.with_panes(
        tuple(
            msgspec.structs.replace(
                pane, shows=tuple(text(each) for each in pane.shows), text=text(pane.text)
            )
            for pane in one.panes
        )
    )


def _rename_in_groups(connection: Connection, old: str, new: str) -> None:
    table = schema.place_group
    for row in connection.execute(sa.select(table)).all():
        places, series = msgspec.json.decode(row.document)
        if old in places:
            told = list(dict.fromkeys(new if one == old else one for one in places))
            written = msgspec.json.encode((told, series)).decode()
            connection.execute(
                sa.update(table).where(table.c.name == row.name).values(document=written)
            )


def _rename_worked(connection: Connection, old: str, new: str) -> None:
    """What was worked out there goes on under the new name, with its past."""
    table, end = schema.station, "@" + slug_of(old)
    rows = connection.execute(
        sa.select(table.c.id, table.c.key).where(table.c.kind == WORKED_KIND)
    ).all()
    taken = {row.key for row in rows}
    for row in rows:
        key = row.key.removesuffix(end) + "@" + slug_of(new)
        # Two places become one: what both had worked out is bound anew by the collector.
        if row.key.endswith(end) and key not in taken:
            connection.execute(sa.update(table).where(table.c.id == row.id).values(key=key))
