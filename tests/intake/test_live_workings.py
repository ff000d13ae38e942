"""Workings live: worked out with the readings that cause them, the same as over history."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.core.quantities.named_series import Group, slug_of
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.unit import FAHRENHEIT
from rook_tally.core.series.corrections import Correction
from rook_tally.core.series.readings import Quality, Readings
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.core.workings.definitions import Aggregation, Placement, Score, ScoreInput, Working
from rook_tally.core.workings.diagnostics import FormulaError
from rook_tally.intake.message import Message
from rook_tally.intake.pipeline.batch_writer import receive
from rook_tally.intake.pipeline.clock_drift import Clocks
from rook_tally.intake.pipeline.resolve import IntakeSession
from rook_tally.store.base import Store, add_due, stretches_to_work_out
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import latest_rows, overrule, read_range, seal_all
from rook_tally.store.readings.page_reading import sealed_days
from rook_tally.store.site import Series, Site, add_correction, add_station, load_site, show_in_unit
from rook_tally.store.workings import (
    bind_workings,
    bound_workings,
    remove_working,
    save_group,
    save_working,
    work_out_everything,
    workings,
)
from tests.builders import MINUTE_US, NOON_US
from tests.examples import examples

DEW = Working(
    slug="dew_point",
    name="Dew point",
    made=Placement.EACH_PLACE,
    formula="dew_point(temperature@here, humidity@here)",
)


class Pottery:
    """A store with a kiln and a yard, and a collector's way into it."""

    def __init__(self, store: Store) -> None:
        self.store = store
        self.directory, self.clocks = IntakeSession(), Clocks()
        with store.write() as connection:
            add_station(connection, "kiln", place="Kiln room", kind=PLAIN, cadence_s=60)
            add_station(connection, "yard", place="Yard", kind=PLAIN, indoors=False, cadence_s=60)
        # A reading each, so that the series are there for formulas.
        for station in ("kiln", "yard"):
            self.told(station, -10, temperature=20.0, humidity=50.0)

    def told(self, station: str, minute: float, **values: float) -> None:
        """A message of a moment, arriving then."""
        at = NOON_US + round(minute * MINUTE_US)
        body = json.dumps({**values, "time": at / 1e6}).encode()
        message = Message("http", "127.0.0.1", body, max(at, NOON_US), station=station)
        (answer,) = receive(self.store, self.directory, self.clocks, [message])
        assert answer.kept + answer.duplicate, answer

    def keep(self, *working: Working) -> None:
        with self.store.write() as connection:
            for one in working:
                save_working(connection, one)

    @property
    def site(self) -> Site:
        with self.store.read() as connection:
            return load_site(connection)

    def series(self, key: str) -> Series:
        return next(one for one in self.site.series if one.station.key == key)

    @property
    def results(self) -> list[Series]:
        """What is worked out."""
        return [one for one in self.site.series if one.station.is_worked_out]

    def read(self, key: str) -> Readings:
        with self.store.read() as connection:
            return read_range(connection, self.series(key).id, 0, 1 << 60)

    def values(self, key: str) -> list[float]:
        return [round(one, 4) for one in self.read(key).value.tolist()]

    def catch_up(self, now_us: int = NOON_US + HOUR_US) -> int:
        """What the background does."""
        with self.store.read() as connection:
            bound = {
                series.id: (series, one.program)
                for series, one in bound_workings(connection, load_site(connection))
            }
        return work_out_everything(self.store, bound, now_us=now_us)


@pytest.fixture
def pottery(store: Store) -> Pottery:
    return Pottery(store)


def test_a_working_has_its_value_with_the_reading_that_caused_it(pottery: Pottery) -> None:
    pottery.keep(DEW)
    pottery.told("kiln", 0, temperature=25, humidity=60)
    assert pottery.values("dew_point@kiln-room") == [16.6977]
    pottery.told("kiln", 1, temperature=25, humidity=60)
    pottery.told("kiln", 2, temperature=25)
    assert pottery.values("dew_point@kiln-room") == [16.6977] * 3
    with pottery.store.read() as connection:
        shown = {row.quantity for row in latest_rows(connection, now_us=NOON_US)}
    assert "dew_point" in shown


def test_the_past_before_a_working_was_made_is_worked_out_in_the_background(
    pottery: Pottery,
) -> None:
    for minute in range(5):
        pottery.told("kiln", minute, temperature=25, humidity=60)
    pottery.keep(DEW)
    assert pottery.values("dew_point@kiln-room") == []
    assert pottery.catch_up() > 0
    assert pottery.values("dew_point@kiln-room")[1:] == [16.6977] * 5
    with pottery.store.read() as connection:
        assert stretches_to_work_out(connection) == []


def test_a_correction_an_overruling_and_a_late_reading_change_what_rests_on_them(
    pottery: Pottery,
) -> None:
    pottery.keep(
        Working(slug="warmer", name="Warmer", formula="temperature@kiln-room - temperature@yard")
    )
    for minute in range(30):
        pottery.told("kiln", minute, temperature=25)
        pottery.told("yard", minute, temperature=5)
    pottery.catch_up()
    assert set(pottery.values("warmer@kiln-room")[1:]) == {20.0}
    yard = next(
        one
        for one in pottery.site.series
        if (one.station.key, one.quantity.slug) == ("yard", "temperature")
    )
    with pottery.store.write() as connection:
        add_correction(
            connection,
            yard.id,
            Correction(NOON_US + 20 * MINUTE_US, 1.0, 2.0),
            who="Ada",
            why="ice bath",
            now_us=NOON_US,
        )
    pottery.catch_up()
    read = pottery.read("warmer@kiln-room")
    after = read.time_us >= NOON_US + 20 * MINUTE_US
    assert set(np.round(read.value[after], 6)) == {18.0}
    assert set(np.round(read.value[~after][1:], 6)) == {20.0}
    # Live goes on with the correction.
    pottery.told("yard", 30, temperature=5)
    assert pottery.values("warmer@kiln-room")[-1] == 18.0
    with pottery.store.write() as connection:
        overrule(
            connection,
            yard,
            NOON_US,
            NOON_US + 10 * MINUTE_US,
            Quality.SET_ASIDE,
            who="Ada",
            why="the door stood open",
        )
    pottery.catch_up()
    read = pottery.read("warmer@kiln-room")
    assert not ((read.time_us >= NOON_US) & (read.time_us < NOON_US + 10 * MINUTE_US)).any()
    # A reading from the quarter of an hour that was set aside, and one an hour before.
    pottery.told("kiln", -60, temperature=30)
    pottery.told("yard", -60, temperature=10)
    pottery.catch_up()
    assert pottery.values("warmer@kiln-room")[0] == 20.0


def test_what_rests_on_a_working_follows_it(pottery: Pottery) -> None:
    pottery.keep(
        DEW,
        Working(
            slug="spread_to_dew",
            name="To the dew point",
            formula="temperature@kiln-room - dew_point@kiln-room",
        ),
    )
    pottery.told("kiln", 0, temperature=25, humidity=60)
    pottery.told("kiln", 1, temperature=25, humidity=60)
    assert pottery.values("spread_to_dew@kiln-room") == [8.3023] * 2
    pottery.catch_up()
    assert pottery.values("spread_to_dew@kiln-room")[1:] == [8.3023] * 2


def test_a_changed_formula_redraws_the_past_and_a_removed_one_leaves_nothing(
    pottery: Pottery,
) -> None:
    pottery.keep(DEW)
    pottery.told("kiln", 0, temperature=25, humidity=60)
    pottery.keep(
        Working(
            slug="dew_point",
            name="Vapour",
            made=Placement.EACH_PLACE,
            formula="vapour_pressure(temperature@here, humidity@here)",
        )
    )
    pottery.catch_up()
    series = pottery.series("dew_point@kiln-room")
    assert (series.quantity.name, series.quantity.base.symbol) == ("Vapour", "hPa")
    assert pottery.values("dew_point@kiln-room")[-1] == 18.9704
    with pottery.store.write() as connection:
        taken = remove_working(connection, "dew_point")
    assert not any(one.station.is_worked_out for one in pottery.site.series)
    assert pottery.catch_up() == 0
    pottery.keep(taken)
    pottery.catch_up()
    assert pottery.values("dew_point@kiln-room")[-1] == 18.9704


def test_sealed_days_are_worked_out_as_pages(pottery: Pottery) -> None:
    for minute in range(0, 3 * 24 * 60, 5):
        at = -(4 * 24 * 60) + minute
        pottery.told("kiln", at, temperature=25, humidity=60)
    by_id = {one.id: one for one in pottery.site.series}
    seal_all(pottery.store, by_id, now_us=NOON_US)
    pottery.keep(DEW)
    pottery.catch_up(NOON_US)
    read = pottery.read("dew_point@kiln-room")
    assert len(read) == 3 * 24 * 12 + 1
    assert set(np.round(read.value[:-1], 4)) == {16.6977}
    with pottery.store.read() as connection:
        series = pottery.series("dew_point@kiln-room")
        pages = len(sealed_days(connection, [series.id], 0, NOON_US))
    assert pages >= 2
    # Once more over the same stretch: nothing is there twice.
    with pottery.store.write() as connection:
        add_due(
            connection,
            pottery.series("dew_point@kiln-room").id,
            NOON_US - 3 * DAY_US - HOUR_US,
            NOON_US,
        )
    pottery.catch_up(NOON_US)
    again = pottery.read("dew_point@kiln-room")
    assert np.array_equal(again.time_us, read.time_us)


def test_a_score_goes_on_with_what_there_is(pottery: Pottery) -> None:
    score = Score(
        inputs=(
            ScoreInput(
                name="Warmth",
                formula="temperature@here",
                weight=60,
                points=((10, 0), (20, 100), (30, 0)),
            ),
            ScoreInput(
                name="Damp", formula="humidity@here", weight=40, points=((30, 0), (50, 100))
            ),
        )
    )
    pottery.keep(
        Working(slug="comfort", name="Comfort", made=Placement.EACH_PLACE, score=score),
        Working(
            slug="comfort_worst",
            name="Comfort, worst of",
            made=Placement.EACH_PLACE,
            score=Score(inputs=score.inputs, way=Aggregation.WORST, variant_of="comfort"),
        ),
    )
    pottery.told("kiln", 0, temperature=25, humidity=50)
    assert pottery.values("comfort@kiln-room") == [70.0]
    assert pottery.values("comfort_worst@kiln-room") == [50.0]
    # Humidity is silent: warmth counts alone.
    pottery.told("kiln", 10, temperature=25)
    assert pottery.values("comfort@kiln-room") == [70.0, 50.0]


def test_rings_and_mistakes_are_refused_and_nothing_is_written(pottery: Pottery) -> None:
    one = Working(slug="one", name="One", formula="temperature@yard")
    pottery.keep(one, Working(slug="two", name="Two", formula="one@yard"))
    with pytest.raises(FormulaError, match="ring: .* rests on"):
        pottery.keep(Working(slug="one", name="One", formula="two@yard"))
    with pytest.raises(FormulaError, match="no place moon"):
        pottery.keep(Working(slug="three", name="Three", formula="temperature@moon"))
    with pottery.store.read() as connection:
        assert [each.slug for each in workings(connection)] == ["one", "two"]
        assert workings(connection)[0] == one


def test_what_rests_on_something_taken_away_is_a_gap_and_nothing_else_suffers(
    pottery: Pottery,
) -> None:
    pottery.keep(
        DEW,
        Working(
            slug="near_dew",
            name="Near the dew point",
            formula="temperature@kiln-room - dew_point@kiln-room",
        ),
        Working(slug="warmer", name="Warmer", formula="temperature@kiln-room - temperature@yard"),
    )
    pottery.told("kiln", 0, temperature=25, humidity=60)
    assert pottery.values("near_dew@kiln-room") == [8.3023]
    with pottery.store.write() as connection:
        gone = remove_working(connection, "dew_point")
        troubles = bind_workings(connection)
    assert "nothing measures dew_point" in str(troubles["near_dew"])
    pottery.told("kiln", 1, temperature=25, humidity=60)
    pottery.told("yard", 1, temperature=5)
    pottery.catch_up()
    assert pottery.values("near_dew@kiln-room") == [8.3023]
    assert pottery.values("warmer@kiln-room")[-1] == 20.0
    # Back again, it goes on, and what was missed is caught up with.
    pottery.keep(gone)
    pottery.catch_up()
    assert pottery.values("near_dew@kiln-room")[-2:] == [8.3023] * 2


def test_what_is_worked_out_is_corrected_through_what_it_rests_on(pottery: Pottery) -> None:
    pottery.keep(DEW)
    pottery.told("kiln", 0, temperature=25, humidity=60)
    series = pottery.series("dew_point@kiln-room")
    with (
        pottery.store.write() as connection,
        pytest.raises(UsageError, match="cannot be corrected itself"),
    ):
        add_correction(
            connection, series.id, Correction(NOON_US, 1.0, 2.0), who="Ada", why="", now_us=NOON_US
        )
    with (
        pottery.store.write() as connection,
        pytest.raises(UsageError, match="cannot be overruled itself"),
    ):
        overrule(connection, series, 0, NOON_US, Quality.SET_ASIDE, who="Ada", why="")


def test_a_result_in_another_unit_is_shown_so_and_follows_what_is_picked(pottery: Pottery) -> None:
    pottery.keep(
        Working(slug="yard_f", name="Yard", formula="temperature@yard in °F"),
        Working(slug="yard_c", name="Yard again", formula="temperature@yard + 0 K"),
        Working(slug="is_warm", name="Is it warm", formula="temperature@yard > 20 °C"),
    )
    pottery.told("yard", 0, temperature=10)
    shown = pottery.series("yard_f@yard").shown
    assert (shown.symbol, shown.text(10)) == ("°F", "50.0")
    assert pottery.series("is_warm@yard").shown.text(0) == "off"
    with pottery.store.write() as connection:
        show_in_unit(connection, QUANTITIES["temperature"], FAHRENHEIT)
    assert pottery.series("yard_c@yard").shown.symbol == "°F"
    with pottery.store.write() as connection:
        show_in_unit(connection, shown.quantity, shown.quantity.base)
    assert pottery.series("yard_f@yard").shown.symbol == "°C"


def test_a_group_is_what_it_says_and_new_places_join_each_place(pottery: Pottery) -> None:
    with pottery.store.write() as connection:
        save_group(connection, Group("Both", places=("Kiln room", "Yard")))
    pottery.keep(DEW, Working(slug="middle", name="Middle", formula="mean(temperature@both/*)"))
    pottery.told("kiln", 0, temperature=25)
    pottery.told("yard", 0, temperature=5)
    assert pottery.values("middle@whole-site")[-1] == 15.0
    with pottery.store.write() as connection:
        save_group(connection, Group("Both", places=("Yard",)))
        add_station(connection, "loft", place="Loft", kind=PLAIN, cadence_s=60)
    pottery.told("yard", 1, temperature=6)
    assert pottery.values("middle@whole-site")[-1] == 6.0
    pottery.told("loft", 1, temperature=25, humidity=60)
    with pottery.store.write() as connection:
        assert bind_workings(connection) == {}
    pottery.told("loft", 2, temperature=25, humidity=60)
    assert pottery.values("dew_point@loft")[-1] == 16.6977


_FORMULAS = st.sampled_from(
    [
        "temperature@kiln-room - temperature@yard",
        "dew_point(temperature@kiln-room, humidity@kiln-room)",
        "mean(temperature@kiln-room over 5 min)",
        "slope(temperature@yard over 10 min)",
        "temperature@yard - temperature@yard 5 min ago",
        "mean(temperature@everywhere/*)",
        "if humidity@yard > 50 % then temperature@yard else temperature@kiln-room",
        "highest(humidity@yard over 10 min) - humidity@kiln-room within 10 min",
    ]
)
_ARRIVALS = st.lists(
    st.tuples(
        st.sampled_from(["kiln", "yard"]),
        st.sampled_from(["temperature", "humidity"]),
        st.integers(0, 60),
        st.integers(10, 40),
    ),
    min_size=1,
    max_size=40,
)


@settings(max_examples=examples(10), deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(st.lists(_FORMULAS, min_size=1, max_size=4, unique=True), _ARRIVALS, st.booleans())
def test_live_reading_by_reading_equals_over_history(
    formulas: list[str], arrivals: list[tuple[str, str, int, int]], in_order: bool
) -> None:
    with tempfile.TemporaryDirectory() as folder, open_store(Path(folder) / "site.db") as store:
        pottery = Pottery(store)
        pottery.keep(
            *(
                Working(slug=f"it{at}", name=f"It {at}", formula=formula)
                for at, formula in enumerate(formulas)
            )
        )
        # One that rests on another, and looks further back than that needs.
        (place,) = {one.station.place for one in pottery.results if one.field == "it0"}
        rests = f"mean(it0@{slug_of(place.name)} over 20 min)"
        pottery.keep(Working(slug="rests", name="Rests", formula=rests))
        for station, quantity, step, value in (
            sorted(arrivals, key=lambda one: one[2]) if in_order else arrivals
        ):
            pottery.told(station, step / 2, **{quantity: float(value)})
        pottery.catch_up()
        live = {one.id: pottery.read(one.station.key) for one in pottery.results}
        with store.write() as connection:
            for series_id in live:
                add_due(connection, series_id, 0, 1 << 60)
        pottery.catch_up()
        anew = {one.id: pottery.read(one.station.key) for one in pottery.results}
    assert len(live) == len(formulas) + 1
    for series_id, told in live.items():
        assert np.array_equal(told.time_us, anew[series_id].time_us)
        assert told.value == pytest.approx(anew[series_id].value, rel=1e-9, abs=1e-9)


def test_a_fault_of_ours_in_a_formula_costs_nobody_a_reading(
    pottery: Pottery, monkeypatch: pytest.MonkeyPatch
) -> None:
    pottery.keep(DEW, Working(slug="warmer", name="Warmer", formula="temperature@kiln-room - 3 °C"))
    pottery.told("kiln", 0, temperature=25, humidity=60)

    def broken(*_: object) -> None:
        raise IndexError("a mistake of ours")

    monkeypatch.setattr("rook_tally.core.workings.evaluator.FunctionNode.at", broken)
    pottery.told("kiln", 1, temperature=26, humidity=60)
    monkeypatch.undo()
    pottery.told("kiln", 2, temperature=27, humidity=60)
    kiln = next(
        one
        for one in pottery.site.series
        if (one.station.key, one.quantity.slug) == ("kiln", "temperature")
    )
    with pottery.store.read() as connection:
        assert read_range(connection, kiln.id, NOON_US, 1 << 60).value.tolist() == [25, 26, 27]
    assert pottery.values("warmer@kiln-room")[-1] == 24.0
