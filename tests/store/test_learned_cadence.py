"""A station added without a cadence gets that of what it sends; one that was told keeps its own."""

from __future__ import annotations

import numpy as np

from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.core.series.readings import readings_from
from rook_tally.store.base import Store
from rook_tally.store.exchange.imports import bring_in
from rook_tally.store.site import add_station, load_site
from rook_tally.store.site.learned_cadence import learn_cadence, stations_that_learn
from tests.builders import NOON_US, append, begin_series

TEN_MINUTES_US = 600_000_000


def test_a_sensor_of_every_ten_minutes_is_not_called_silent(store: Store) -> None:
    with store.write() as connection:
        add_station(connection, "pond", place="Yard", kind=PLAIN)
    series = begin_series(store, key="pond", place="Yard")
    told = []
    for at in range(8):
        append(store, series, (NOON_US + at * TEN_MINUTES_US, 41.0))
        for station_id in _learning(store):
            with store.write() as connection:
                told.append(learn_cadence(connection, station_id))
    # Known from the second message on, and settled by the seventh.
    assert told == [None, 600.0, None, None, None, None, None]
    with store.read() as connection:
        assert load_site(connection).stations[0].cadence_s == 600.0
    assert _learning(store) == []


def test_what_a_file_brings_says_how_often_without_a_collector(store: Store) -> None:
    """A year of every five minutes is no row of gaps to whatever asks of it next."""
    with store.write() as connection:
        add_station(connection, "pond", place="Yard", kind=PLAIN)
        add_station(connection, "told", place="Yard", kind=PLAIN, cadence_s=60)
    time_us = NOON_US + np.arange(365 * 288, dtype=np.int64) * 300_000_000
    readings = readings_from(time_us, np.full(len(time_us), 20.0))
    brought = [(begin_series(store, key=key, place="Yard"), readings) for key in ("pond", "told")]
    bring_in(store, "year.csv", brought, now_us=int(time_us[-1]))
    with store.read() as connection:
        cadences = {one.key: one.cadence_s for one in load_site(connection).stations}
    assert cadences == {"pond": 300.0, "told": 60.0}
    assert _learning(store) == []


def test_what_a_person_told_is_not_learned_anew(store: Store) -> None:
    with store.write() as connection:
        add_station(connection, "pond", place="Yard", kind=PLAIN, cadence_s=300)
    assert _learning(store) == []


def _learning(store: Store) -> list[int]:
    with store.read() as connection:
        return stations_that_learn(connection)
