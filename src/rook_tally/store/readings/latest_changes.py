"""Change notices of readings made into the newest readings, with as little reading as does it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import msgspec
from sqlalchemy.engine import Connection

from rook_tally.store.base.changes import Change, Subject
from rook_tally.store.readings.query import Latest, latest, latest_written


class ReadingNews(msgspec.Struct, frozen=True):
    """The newest readings by series id, and the series of which more than that has changed: a late
    reading, a revision, several at once."""

    newest: dict[int, Latest]
    involved: frozenset[int]


def reading_news(
    connection: Connection, changes: Iterable[Change], known_us: Mapping[int, int], *, until_us: int
) -> ReadingNews:
    """Readings behind the notices, for somebody who knew each series' newest moment."""
    # One reading newer than all others can be drawn as it is; anything else needs a look.
    seen: set[int] = set()
    involved: set[int] = set()
    plain: dict[int, int] = {}
    for one in changes:
        series_id, from_us = one.series_id, one.from_us
        if one.subject is not Subject.READINGS or series_id is None or from_us is None:
            continue
        is_plain = from_us == one.to_us and from_us > known_us.get(series_id, 0)
        if series_id in seen or not is_plain:
            involved.add(series_id)
        else:
            plain[series_id] = from_us
        seen.add(series_id)
    newest = latest_written(
        connection, [(key, at) for key, at in plain.items() if key not in involved]
    )
    if involved:
        newest |= latest(connection, involved, until_us=until_us)
    return ReadingNews(newest, frozenset(involved))
