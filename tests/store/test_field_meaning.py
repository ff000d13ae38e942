"""Fields that turn out to mean something else: all that was kept of them follows."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
import sqlalchemy as sa
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy.engine import Connection

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.quantities.series_settings import SeriesSettings
from rook_tally.core.series.corrections import Correction
from rook_tally.core.series.readings import Quality, readings_from
from rook_tally.core.timestamps import DAY_US
from rook_tally.store.alarms.change_undo import take_changes_back
from rook_tally.store.base import Store, schema
from rook_tally.store.readings import append_history, damaged_pages, read_range, seal_all
from rook_tally.store.readings.field_meaning import settle_field
from rook_tally.store.readings.quality_overrides import overrule
from rook_tally.store.site import Series, add_correction, load_site
from rook_tally.store.site.row_changes import recording
from tests.builders import MINUTE_US, NOON_US, begin_series
from tests.examples import examples

START_US = NOON_US - 4 * DAY_US
PLAIN = SeriesSettings()
_NUMBERS = itertools.count()


def _series(connection: Connection) -> Series:
    """The one that was begun last."""
    return load_site(connection).series[-1]


def _kept(connection: Connection, quantity: str, unit: str, sent: np.ndarray) -> Series:
    """A series that was taken for that, with what a station sent every five minutes."""
    meant = QUANTITIES[quantity].unit(unit)
    assert meant is not None
    series = _series(connection)
    at = START_US + np.arange(len(sent)) * 5 * MINUTE_US
    append_history(connection, series.id, readings_from(at, np.asarray(meant.to_base(sent))))
    return series


@settings(max_examples=examples(5), suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(sent=st.lists(st.integers(-200, 1200), min_size=10, max_size=60), is_sealed=st.booleans())
def test_what_was_sent_is_understood_anew_and_back(
    store: Store, sent: list[int], is_sealed: bool
) -> None:
    """°C were taken for °F: tenths of a degree as sent, over four days, sealed or not."""
    begin_series(store, key=f"n{next(_NUMBERS)}")
    wire = np.repeat(np.array(sent) / 10, 20)
    with store.write() as connection:
        table = schema.series
        connection.execute(
            sa.update(table).where(table.c.id == _series(connection).id).values(unit="°F")
        )
        series = _kept(connection, "temperature", "°F", wire)
    if is_sealed:
        seal_all(store, {series.id: series}, now_us=NOON_US + DAY_US)
    with store.write() as connection, recording(connection) as made:
        before = read_range(connection, series.id, 0, 2**62)
        settle_field(connection, _series(connection), PLAIN, unit="°C")
    with store.read() as connection:
        told = read_range(connection, series.id, 0, 2**62)
        assert damaged_pages(connection) == []
    assert told.value.tolist() == wire.tolist()
    assert told.time_us.tolist() == before.time_us.tolist()
    with store.write() as connection:
        take_changes_back(connection, made.changes)
        back = read_range(connection, series.id, 0, 2**62)
    assert back.value.tolist() == before.value.tolist()
    assert back.quality.tolist() == before.quality.tolist()


def test_another_quantity_drops_its_limits_and_judges_its_past(store: Store) -> None:
    """Humidity that was taken for a temperature: 84 is no air of a room, but a usual humidity."""
    begin_series(store)
    with store.write() as connection:
        series = _kept(connection, "temperature", "°C", np.full(500, 84.0) + np.arange(500) % 7)
        aside = START_US + 10 * 5 * MINUTE_US
        overrule(connection, series, aside, aside + 1, Quality.SET_ASIDE, who="Wren", why="a test")
        settle_field(connection, _series(connection), PLAIN, quantity="humidity")
        now = _series(connection)
        told = read_range(connection, series.id, 0, 2**62)
    assert (now.quantity.slug, now.unit, now.limits) == (
        "humidity",
        "%",
        QUANTITIES["humidity"].default_limits(indoors=True),
    )
    assert told.value[10] == 87.0
    assert told.quality[10] == Quality.SET_ASIDE
    assert np.count_nonzero(told.quality) == 1


def test_a_narrower_range_is_that_of_the_past_too(store: Store) -> None:
    begin_series(store)
    with store.write() as connection:
        series = _kept(connection, "temperature", "°C", np.array([20.0, 21, 22, 23, 24, 25]))
        settle_field(
            connection, series, SeriesSettings(believable=(20.5, 24.5), accuracy=0.1, decimals=2)
        )
        now = _series(connection)
        told = read_range(connection, series.id, 0, 2**62)
    assert now.quantity.believable == (20.5, 24.5)
    assert now.shown.text(22.0) == "22.00"
    assert told.quality.tolist() == [1, 0, 0, 0, 0, 1]


def test_what_cannot_follow_is_said_and_nothing_is_changed(store: Store) -> None:
    begin_series(store)
    with store.write() as connection:
        series = _kept(connection, "temperature", "°C", np.array([0.0, 1, 2.5]))
    for quantity, unit, why in (
        ("warmth", None, "no quantity"),
        (None, "hPa", "no unit"),
        ("switch", None, "no state"),
    ):
        with pytest.raises(UsageError, match=why), store.write() as connection:
            settle_field(connection, series, PLAIN, quantity=quantity, unit=unit)
    with store.write() as connection:
        add_correction(
            connection, series.id, Correction(START_US, 1.1, 0.0), who="", why="", now_us=NOON_US
        )
    with pytest.raises(UsageError, match="withdraw"), store.write() as connection:
        settle_field(connection, series, PLAIN, unit="K")
    with store.read() as connection:
        assert _series(connection).unit == "°C"
        assert read_range(connection, series.id, 0, 2**62).value.tolist() == [0.0, 1.1, 2.75]


@pytest.mark.parametrize(
    ("told", "why"),
    [
        (SeriesSettings(believable=(3.0, 3.0)), "nothing lies"),
        (SeriesSettings(accuracy=0.0), "no sensor"),
        (SeriesSettings(decimals=9), "decimals"),
        (SeriesSettings(colour=9), "no colour"),
        (SeriesSettings(title="x" * 80), "too long"),
    ],
)
def test_settings_that_cannot_be_are_said(store: Store, told: SeriesSettings, why: str) -> None:
    begin_series(store)
    with pytest.raises(UsageError, match=why), store.write() as connection:
        settle_field(connection, _series(connection), told)
