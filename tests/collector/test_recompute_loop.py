"""A running collector keeps the past of workings up to date while it takes readings in."""

from __future__ import annotations

import json
import time

import numpy as np

from rook_tally.core.quantities.named_series import Group
from rook_tally.core.series.corrections import Correction
from rook_tally.core.series.readings import Quality
from rook_tally.core.timestamps import SECOND_US
from rook_tally.core.workings.definitions import Placement, Working
from rook_tally.store.base import ALWAYS_US, Store, stretches_to_work_out
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import overrule, read_range
from rook_tally.store.site import Site, add_correction, load_site
from rook_tally.store.workings import save_group, save_working
from tests.processes import CollectorProcess, wait_until

DEW = Working(
    slug="dew_point",
    name="Dew point",
    made=Placement.EACH_PLACE,
    formula="dew_point(temperature@here, humidity@here)",
)
BETWEEN = Working(
    slug="between", name="Between", formula="temperature@kiln-room - temperature@yard"
)


class Watched:
    """A collector with two stations, and a look at its store."""

    def __init__(self, collector: CollectorProcess) -> None:
        self.collector = collector
        collector.add_station("kiln", place="Kiln room")
        collector.add_station("yard", place="Yard")
        self.now = time.time()
        self.store: Store = open_store(collector.address)

    def told(self, station: str, back_s: float, **values: float) -> None:
        body = json.dumps({"time": self.now - back_s, **values})
        answer = self.collector.post(body, query=f"?station={station}")
        assert answer[1]["kept"] == len(values), answer

    def keep(self, *several: Working) -> None:
        with self.store.write() as connection:
            for one in several:
                save_working(connection, one)

    @property
    def site(self) -> Site:
        with self.store.read() as connection:
            return load_site(connection)

    def values(self, key: str) -> list[float]:
        with self.store.read() as connection:
            for one in load_site(connection).series:
                if one.station.key == key:
                    read = read_range(connection, one.id, 0, ALWAYS_US)
                    return [round(value, 3) for value in read.value.tolist()]
        return []

    def is_caught_up(self) -> bool:
        with self.store.read() as connection:
            return not stretches_to_work_out(connection)


def test_what_is_kept_in_a_desk_is_worked_out_without_a_restart(
    collector: CollectorProcess,
) -> None:
    watched = Watched(collector)
    for back_s in (300, 240, 180):
        watched.told("kiln", back_s, temperature=25, humidity=60)
        watched.told("yard", back_s, temperature=5)
    watched.keep(DEW, BETWEEN)
    wait_until(lambda: len(watched.values("between@kiln-room")) == 3 and watched.is_caught_up())
    watched.told("kiln", 120, temperature=26, humidity=60)
    assert watched.values("between@kiln-room")[-1] == 21.0
    assert len(watched.values("dew_point@kiln-room")) == 4
    # A correction made in a desk: the past follows, and what comes is corrected at once.
    yard = next(one for one in watched.site.series if one.station.key == "yard")
    with watched.store.write() as connection:
        add_correction(
            connection,
            yard.id,
            Correction(0, 1.0, 1.0),
            who="Ada",
            why="ice bath",
            now_us=round(watched.now * SECOND_US),
        )
    wait_until(lambda: set(watched.values("between@kiln-room")) == {19.0, 20.0})
    watched.told("yard", 60, temperature=5)
    watched.told("kiln", 60, temperature=25)
    assert watched.values("between@kiln-room")[-1] == 19.0
    kiln = next(
        one
        for one in watched.site.series
        if (one.station.key, one.quantity.slug) == ("kiln", "temperature")
    )
    with watched.store.write() as connection:
        overrule(
            connection,
            kiln,
            round((watched.now - 301) * SECOND_US),
            round((watched.now - 239) * SECOND_US),
            Quality.SET_ASIDE,
            who="Ada",
            why="",
        )
    before = len(watched.values("between@kiln-room"))
    wait_until(lambda: len(watched.values("between@kiln-room")) < before)
    watched.store.close()


def test_readings_that_were_forwarded_late_land_where_they_belong(
    collector: CollectorProcess,
) -> None:
    watched = Watched(collector)
    for back_s in (60, 0):
        watched.told("kiln", back_s, temperature=25)
        watched.told("yard", back_s, temperature=5)
    watched.keep(BETWEEN)
    wait_until(watched.is_caught_up)
    # Hours late, as from a station that kept them.
    for back_s in range(7200, 7200 - 300, -60):
        watched.told("kiln", back_s, temperature=30)
        watched.told("yard", back_s, temperature=10)
    wait_until(lambda: watched.values("between@kiln-room").count(20.0) >= 7)
    assert set(watched.values("between@kiln-room")) == {20.0}
    watched.store.close()


def test_a_new_station_joins_what_is_made_for_each_place(collector: CollectorProcess) -> None:
    watched = Watched(collector)
    watched.told("kiln", 60, temperature=25, humidity=60)
    watched.keep(DEW)
    with watched.store.write() as connection:
        save_group(connection, Group("Both", places=("Kiln room", "Loft")))
    watched.keep(Working(slug="middle", name="Middle", formula="mean(temperature@both/*)"))
    collector.add_station("loft", place="Loft")
    watched.told("loft", 30, temperature=15, humidity=60)
    wait_until(lambda: bool(watched.values("dew_point@loft")))
    watched.told("loft", 0, temperature=15, humidity=60)
    wait_until(lambda: len(watched.values("dew_point@loft")) == 2)
    wait_until(lambda: 20.0 in watched.values("middle@whole-site"))
    watched.store.close()


def test_a_mean_over_a_while_is_the_same_live_and_anew(collector: CollectorProcess) -> None:
    watched = Watched(collector)
    watched.told("kiln", 1260, temperature=20)
    watched.keep(
        Working(slug="smooth", name="Smooth", formula="mean(temperature@kiln-room over 5 min)")
    )
    wait_until(watched.is_caught_up)
    rng = np.random.default_rng(4)
    for back_s in range(1200, 0, -60):
        watched.told("kiln", back_s, temperature=round(20 + rng.normal(), 2))
    live = watched.values("smooth@kiln-room")
    assert len(live) >= 17
    series = next(one for one in watched.site.series if one.station.is_worked_out)
    with watched.store.write() as connection:
        connection.exec_driver_sql(f"DELETE FROM reading WHERE series_id = {series.id}")
        connection.exec_driver_sql(
            "INSERT INTO due (series_id, from_us, to_us, reached_us) "
            f"VALUES ({series.id}, 0, {ALWAYS_US}, 0)"
        )
        connection.exec_driver_sql("INSERT INTO change (subject) VALUES (9)")
    wait_until(lambda: watched.values("smooth@kiln-room") == live)
    watched.store.close()
