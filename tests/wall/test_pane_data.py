"""The past of a sheet: read once, followed reading by reading."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rook_tally.core.series.envelope import empty_envelope
from rook_tally.core.series.readings import Quality
from rook_tally.core.timestamps import HOUR_US, time_us_from_text
from rook_tally.core.wall.definitions import PaneKind
from rook_tally.store.readings import Latest
from rook_tally.wall.pane_data import midnight_before
from tests.builders import MINUTE_US, NOON_US
from tests.examples import examples
from tests.wall.studio import Studio, pane


def test_what_is_followed_is_what_would_be_read(studio: Studio) -> None:
    """A law in one example: hearing readings one by one equals reading them all at once."""
    panes = (
        pane(PaneKind.RIBBON, "pm25@glaze-booth", span_s=7200.0),
        pane(PaneKind.DAY, "pm25@glaze-booth"),
        pane(PaneKind.LAMPS, "switch@glaze-booth"),
    )
    followed = studio.material(*panes)
    dust, extractor = (
        studio.series[key] for key in (("glaze-dust", "pm25"), ("glaze-extractor", "on"))
    )
    for minute, value in enumerate((90.0, 2.0, 30.0), start=1):
        at_us = NOON_US + minute * 5_000_000
        followed.hear(Latest(dust.id, at_us, value, Quality.GOOD))
        studio.told("glaze-dust", "pm25", value, until_us=at_us)
    off_us = NOON_US + MINUTE_US
    followed.hear(Latest(extractor.id, off_us, 0.0, Quality.GOOD))
    studio.told("glaze-extractor", "on", 0.0, until_us=off_us)
    read = studio.material(*panes, at_us=off_us)
    key = dust.id, 7200.0
    assert followed.days == read.days
    assert followed.since_us == read.since_us == {extractor.id: off_us}
    for told in (followed, read):
        envelope = told.envelopes[key]
        assert envelope.count.sum() == 6
        assert (np.nanmin(envelope.low), np.nanmax(envelope.high)) == (2.0, 90.0)


def test_a_reading_of_bad_quality_moves_nothing_but_its_count(studio: Studio) -> None:
    panes = (pane(PaneKind.RIBBON, "pm25@glaze-booth"), pane(PaneKind.DAY, "pm25@glaze-booth"))
    material = studio.material(*panes)
    series = studio.series["glaze-dust", "pm25"]
    before = dict(material.days)
    material.hear(Latest(series.id, NOON_US + 1, 900.0, Quality.LONE_SPIKE))
    assert material.days == before
    (envelope,) = material.envelopes.values()
    assert envelope.suspect.sum() == 1
    assert np.nanmax(envelope.high) == 71.0


def test_it_is_outdated_when_a_column_is_full_or_the_clock_was_set_back(studio: Studio) -> None:
    material = studio.material(pane(PaneKind.RIBBON, "pm25@yard", span_s=3600.0))
    assert not material.is_outdated(NOON_US + 9_000_000)
    assert material.is_outdated(NOON_US + 10_000_000)
    assert material.is_outdated(NOON_US - 1)
    assert not studio.material(pane(PaneKind.STANDING)).is_outdated(NOON_US + 59_000_000)


@pytest.mark.parametrize(
    ("at", "midnight"),
    [
        ("2026-11-23T12:00:00Z", "2026-11-23T00:00:00Z"),
        ("2026-07-01T12:00:00Z", "2026-06-30T23:00:00Z"),
        # The day on which the clocks go back begins in summer time.
        ("2026-10-25T20:00:00Z", "2026-10-24T23:00:00Z"),
    ],
)
def test_a_day_begins_at_local_midnight(studio: Studio, at: str, midnight: str) -> None:
    zone = studio.known(studio.material(pane(PaneKind.STANDING))).snapshot.zone
    assert midnight_before(time_us_from_text(at), zone) == time_us_from_text(midnight)


@settings(max_examples=examples(30))
@given(st.lists(st.tuples(st.integers(0, HOUR_US - 1), st.floats(-50, 50)), max_size=30))
def test_an_envelope_holds_what_was_counted_in(readings: list[tuple[int, float]]) -> None:
    envelope = empty_envelope(0, HOUR_US, 12)
    for at_us, value in readings:
        envelope = envelope.with_reading(at_us, value, is_good=True)
    assert envelope.count.sum() == len(readings)
    for at in range(12):
        mine = [value for at_us, value in readings if at_us // (HOUR_US // 12) == at]
        if mine:
            assert envelope.low[at] == min(mine)
            assert envelope.high[at] == max(mine)
            assert envelope.mean[at] == pytest.approx(np.mean(mine), abs=1e-9)
    assert envelope.with_reading(HOUR_US, 1.0, is_good=True) is envelope


def test_what_was_read_already_is_not_counted_twice(studio: Studio) -> None:
    material = studio.material(pane(PaneKind.RIBBON, "pm25@glaze-booth"))
    series = studio.series["glaze-dust", "pm25"]
    material.hear(Latest(series.id, NOON_US, 58.0, Quality.GOOD))
    for _ in range(2):
        material.hear(Latest(series.id, NOON_US + 1_000_000, 60.0, Quality.GOOD))
    (envelope,) = material.envelopes.values()
    assert envelope.count.sum() == 4
