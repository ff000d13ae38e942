"""What the head tells every second is what counting everything anew would tell."""

from __future__ import annotations

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from rook_tally.core.quantities.levels import Limits
from rook_tally.core.series.readings import Quality
from rook_tally.core.timestamps import SECOND_US
from rook_tally.desk.data.site_figures import SiteFigures
from rook_tally.store.base import Store
from rook_tally.store.readings import Latest
from rook_tally.store.site import Site, load_site
from tests.builders import NOON_US, begin_series
from tests.examples import examples

LIMITS = Limits(above=(None, 50.0, 90.0, None))
# Of which station, how many seconds later, which value, whether it is to be believed.
news = st.tuples(
    st.sampled_from(["wall", "shelf", "kiln"]),
    st.sampled_from([0, 1, 299, 300, 301, 900]),
    st.sampled_from([20.0, 60.0, 99.0]),
    st.booleans(),
)
waits = st.sampled_from([-3600, -1, 0, 1, 59, 299, 300, 301, 1500, 7200])


@pytest.fixture
def site(store: Store) -> Site:
    """Three stations that report every minute: one said it is offline, one is under maintenance."""
    for key in ("wall", "shelf", "kiln"):
        begin_series(store, key=key, place=key, limits=LIMITS)
    with store.read() as connection:
        found = load_site(connection)
    changed: dict[str, dict[str, int]] = {
        "wall": {},
        "shelf": {"offline_since_us": NOON_US + 100 * SECOND_US},
        "kiln": {
            "maintenance_from_us": NOON_US + 200 * SECOND_US,
            "maintenance_to_us": NOON_US + 2000 * SECOND_US,
        },
    }
    stations = {one.id: replace(one, **changed[one.key]) for one in found.stations}
    series = tuple(replace(one, station=stations[one.station.id]) for one in found.series)
    return replace(found, stations=tuple(stations.values()), series=series)


@settings(
    max_examples=examples(80),
    deadline=None,
    suppress_health_check=[HealthCheck.function_scoped_fixture],
)
@given(steps=st.lists(st.tuples(st.one_of(st.none(), news), waits), max_size=12))
def test_it_tells_what_counting_anew_tells(
    site: Site, steps: list[tuple[tuple[str, int, float, bool] | None, int]]
) -> None:
    latest: dict[int, Latest] = {}
    kept, now_us = SiteFigures(site, latest), NOON_US
    for told, wait_s in steps:
        if told is not None:
            key, later_s, value, is_good = told
            quality = Quality.GOOD if is_good else Quality.STUCK
            (series,) = (one for one in site.series if one.station.key == key)
            moment = NOON_US + later_s * SECOND_US
            if series.id not in latest or moment >= latest[series.id].time_us:
                latest[series.id] = Latest(series.id, moment, value, quality)
            kept.take(latest)
        now_us += wait_s * SECOND_US
        anew = SiteFigures(site, latest)
        assert kept.heard(now_us) == anew.heard(now_us)
        assert kept.raised(now_us) == anew.raised(now_us)
