"""What was removed goes for good a month later, after a copy; not before, and nothing beside it."""

from __future__ import annotations

import pytest
import sqlalchemy as sa

from rook_tally.core.errors import UsageError
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.base import Store, schema
from rook_tally.store.maintenance import open_store
from rook_tally.store.maintenance.purging import purge_removed
from rook_tally.store.readings import latest
from rook_tally.store.site import load_site
from rook_tally.store.site.station_lives import any_station, remove_station, restore_station
from tests.builders import NOON_US, append, begin_series


def test_a_removed_station_is_there_for_a_month_and_then_only_in_the_copy(store: Store) -> None:
    gone = begin_series(store, key="gone", place="Loft")
    kept = begin_series(store, key="kept", place="Shop")
    for series in (gone, kept):
        append(store, series, (NOON_US, 21.5))
    with store.write() as connection:
        remove_station(connection, any_station(load_site(connection), "gone"), now_us=NOON_US)
    assert purge_removed(store, now_us=NOON_US + 29 * DAY_US) == []
    assert _readings(store) == {gone.id, kept.id}
    assert purge_removed(store, now_us=NOON_US + 31 * DAY_US) == ["gone"]
    assert _readings(store) == {kept.id}
    with store.write() as connection:
        assert latest(connection)[kept.id].value == 21.5
        with pytest.raises(UsageError, match="no station gone was removed"):
            restore_station(connection, "gone")
    if store.path is not None:
        (copy,) = store.path.parent.glob(f"{store.path.name}.before-purge-*")
        with open_store(copy) as before:
            assert _readings(before) == {gone.id, kept.id}


def _readings(store: Store) -> set[int]:
    with store.read() as connection:
        return set(connection.execute(sa.select(schema.reading.c.series_id)).scalars())
