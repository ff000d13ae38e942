"""Observations found from one end are those that reading all of them finds."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from rook_tally.core.errors import UsageError
from rook_tally.core.timestamps import DAY_US, rfc3339
from rook_tally.serving.things import observation_search
from rook_tally.serving.things.observation_search import ObservationSearch
from rook_tally.serving.things.options import options_of
from rook_tally.store.base import Store
from rook_tally.store.readings import read_range
from rook_tally.store.site import Series, load_site
from tests.bench.air_of_rooms import START_US, keep, moments

_FAR_US = 1 << 60


@pytest.fixture(scope="module")
def rooms(tmp_path_factory: pytest.TempPathFactory) -> Store:
    """Two rooms, one of them with a hole of ten days."""
    from rook_tally.store.maintenance import open_store

    store = open_store(tmp_path_factory.mktemp("rooms") / "site.db")
    time_us = moments(16)
    value = 400.0 + np.arange(len(time_us), dtype=np.float64) % 97
    keep(store, "one", time_us, value)
    is_there = (time_us < START_US + 3 * DAY_US) | (time_us >= START_US + 13 * DAY_US)
    keep(store, "two", time_us[is_there] + 7, value[is_there] + 50, place="Room")
    return store


def _all(store: Store, series: list[Series]) -> list[tuple[int, int, float]]:
    """Time, series and value of everything, by time."""
    found = []
    with store.read() as connection:
        for one in series:
            told = read_range(connection, one.id, 0, _FAR_US)
            rows = zip(told.time_us.tolist(), told.value.tolist(), strict=True)
            found += [(time_us, one.id, value) for time_us, value in rows]
    return sorted(found)


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    which=st.sampled_from([(0,), (1,), (0, 1)]),
    is_down=st.booleans(),
    top=st.integers(1, 50),
    skip=st.integers(0, 5_000),
    least=st.none() | st.integers(400, 560),
    from_day=st.none() | st.integers(-3, 20),
    to_day=st.none() | st.integers(-3, 20),
)
def test_a_page_is_what_all_of_them_say(
    rooms: Store,
    which: tuple[int, ...],
    is_down: bool,
    top: int,
    skip: int,
    least: int | None,
    from_day: int | None,
    to_day: int | None,
) -> None:
    with rooms.read() as connection:
        series = [load_site(connection).series[at] for at in which]
    parts, wanted = [], _all(rooms, series)
    if least is not None:
        parts.append(f"result ge {least}")
        wanted = [one for one in wanted if one[2] >= least]
    if from_day is not None:
        parts.append(f"phenomenonTime ge {rfc3339(START_US + from_day * DAY_US)}")
        wanted = [one for one in wanted if one[0] >= START_US + from_day * DAY_US]
    if to_day is not None:
        parts.append(f"phenomenonTime lt {rfc3339(START_US + to_day * DAY_US)}")
        wanted = [one for one in wanted if one[0] < START_US + to_day * DAY_US]
    query = {"$top": str(top), "$skip": str(skip)}
    query |= {"$orderby": "phenomenonTime desc"} if is_down else {}
    query |= {"$filter": " and ".join(parts)} if parts else {}
    with rooms.read() as connection:
        found, whole = ObservationSearch(connection, series, options_of(query)).found()
    shown = found.taken(slice(skip, skip + top))
    ordered = wanted[::-1] if is_down else wanted
    told = zip(shown.time_us.tolist(), shown.series.tolist(), shown.value.tolist(), strict=True)
    assert list(told) == ordered[skip : skip + top]
    # Whether there is a next page is known, how many there are of all is nobody's question.
    assert (whole > skip + len(shown)) == (len(wanted) > skip + top)


def test_the_newest_of_a_long_series_is_told_and_all_of_them_are_not_counted(
    rooms: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(observation_search, "_MOST_SCANNED", 1_000)
    with rooms.read() as connection:
        series = load_site(connection).series[:1]
        newest = {"$top": "1", "$orderby": "phenomenonTime desc"}
        found, _ = ObservationSearch(connection, series, options_of(newest)).found()
        assert int(found.time_us[0]) == int(moments(16)[-1])
        with pytest.raises(UsageError, match="without \\$count, or give a stretch"):
            ObservationSearch(connection, series, options_of({**newest, "$count": "true"})).found()
