"""Reference points: what a better meter says becomes a record, a fit and a correction."""

from __future__ import annotations

from pathlib import Path
from zoneinfo import ZoneInfo

import pytest

from rook_tally.bench.calibrate import PointRow, new_point, points_in_csv, record_of
from rook_tally.core.comparing.calibration import CalibrationModel
from rook_tally.core.errors import UsageError
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.store.base import Store
from rook_tally.store.site import Series
from rook_tally.store.site.reference_points import add_reference_point, remove_reference_point
from tests.bench.air_of_rooms import END_US, START_US, keep, moments, shop_air

UTC = ZoneInfo("UTC")


@pytest.fixture
def probe(store: Store) -> Series:
    time_us = moments(20)
    return keep(store, "probe", time_us, shop_air(time_us))


def add(store: Store, probe: Series, day: float, gain: float, offset: float, u: float = 5.0) -> int:
    """A point at which the meter says gain·sensor + offset."""
    at_us = START_US + round(day * DAY_US)
    with store.write() as connection:
        seen, _ = new_point(
            connection, probe, PointRow(at_us, 0.0), over_s=600, who="us", now_us=END_US
        )
        true = gain * seen.reading + offset
        point, _ = new_point(
            connection,
            probe,
            PointRow(at_us, true, u, "hand meter", "on the sill"),
            over_s=600,
            who="us",
            now_us=END_US,
        )
        return add_reference_point(connection, point)


def test_an_offset_is_enough_until_points_say_a_gain(store: Store, probe: Series) -> None:
    with store.read() as connection:
        assert "no reference point yet" in record_of(connection, probe, now_us=END_US).sentence.text
    for day in (1.1, 3.4, 6.2):
        add(store, probe, day, 1.0, -12.0)
    with store.read() as connection:
        told = record_of(connection, probe, now_us=END_US)
    assert told.fit.model is CalibrationModel.OFFSET
    assert told.fit.offset == pytest.approx(-12.0)
    assert told.sentence.text.startswith("Shop CO₂ (probe) reads 12")
    assert "too high" in told.sentence.text
    assert told.uncertainty is not None
    assert told.uncertainty.se_offset == pytest.approx(5 / 3**0.5)
    time_us = moments(20)
    other = keep(store, "other", time_us, shop_air(time_us))
    for day in (1.1, 3.4, 6.2, 8.3, 9.6, 11.8, 13.5, 15.2):
        add(store, other, day, 1.3, -12.0)
    with store.read() as connection:
        told = record_of(connection, other, now_us=END_US)
    assert told.fit.model is CalibrationModel.LINE
    assert len(told.residuals) == 8


def test_a_point_where_nothing_was_heard_or_still_to_come_is_refused(
    store: Store, probe: Series
) -> None:
    with store.read() as connection:
        for at_us, said in ((START_US - DAY_US, "was not heard"), (END_US + HOUR_US, "to come")):
            with pytest.raises(UsageError, match=said):
                new_point(
                    connection, probe, PointRow(at_us, 1.0), over_s=300, who="us", now_us=END_US
                )
        with pytest.raises(UsageError, match="above 0"):
            new_point(
                connection,
                probe,
                PointRow(START_US + DAY_US, 1.0, -1.0),
                over_s=300,
                who="us",
                now_us=END_US,
            )


def test_one_moment_has_one_point_and_one_taken_away_comes_back(
    store: Store, probe: Series
) -> None:
    number = add(store, probe, 2.0, 1.0, 3.0)
    with pytest.raises(UsageError, match="at that very moment"):
        add(store, probe, 2.0, 1.0, 4.0)
    with store.write() as connection:
        gone = remove_reference_point(connection, number)
        assert record_of(connection, probe, now_us=END_US).points == ()
        add_reference_point(connection, gone)
        assert record_of(connection, probe, now_us=END_US).points == (gone,)
        with pytest.raises(UsageError, match="no reference point"):
            remove_reference_point(connection, number + 5)


def test_points_come_from_a_file_and_a_bad_row_is_named(tmp_path: Path) -> None:
    file = tmp_path / "points.csv"
    file.write_text(
        "Time,Value,Uncertainty,Meter,Note\n2026-03-05T10:00Z,612,,hand,\n"
        '2026-03-06 11:30,"598,5",4,hand,windy\n'
    )
    rows = points_in_csv(file, UTC)
    assert [one.value for one in rows] == [612.0, 598.5]
    assert rows[1].uncertainty == 4.0
    file.write_text("time,value\n2026-03-05T10:00Z,612\nyesterday,many\n")
    with pytest.raises(UsageError, match="row 3"):
        points_in_csv(file, UTC)
    file.write_text("a,b\n1,2\n")
    with pytest.raises(UsageError, match="no columns time and value"):
        points_in_csv(file, UTC)
    with pytest.raises(UsageError, match="cannot be read"):
        points_in_csv(tmp_path / "none.csv", UTC)
