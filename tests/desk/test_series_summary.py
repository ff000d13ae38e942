"""The honest paragraph: distances, outlooks and facts in words."""

from __future__ import annotations

from zoneinfo import ZoneInfo

import numpy as np
import pytest
from msgspec.structs import replace

from rook_tally.core.quantities.levels import NO_LIMITS, Limits
from rook_tally.core.quantities.limit_text import limit_sentence
from rook_tally.core.series.readings import Quality
from rook_tally.core.series.trend import Trend
from rook_tally.desk.ledger.series_summary import SeriesSummaryQuery, outlook
from rook_tally.store.base import Store
from rook_tally.store.readings import Latest
from rook_tally.store.site import Series
from tests.builders import MINUTE_US, NOON_US, append, begin_series

LONDON = ZoneInfo("Europe/London")


@pytest.fixture
def dust(store: Store) -> Series:
    return begin_series(store, "pm25", place="Glaze booth")


@pytest.mark.parametrize(
    ("value", "told"),
    [
        (58, "33 over the limit of 25"),
        (20, "5 below the limit of 25"),
        (25.2, "just at the limit of 25"),
    ],
)
def test_distance_to_an_upper_limit(dust: Series, value: float, told: str) -> None:
    assert limit_sentence(dust.shown, dust.limits, value) == told


def test_distance_to_a_lower_limit_and_without_one(dust: Series) -> None:
    damp = replace(dust, limits=Limits(below=(33, 31.5, 28, 24)))
    assert limit_sentence(damp.shown, damp.limits, 29) == "2.5 under the lower limit of 31.5"
    assert limit_sentence(damp.shown, damp.limits, 40) == "8.5 above the lower limit of 31.5, fine"
    assert limit_sentence(dust.shown, NO_LIMITS, 40) == ""


@pytest.mark.parametrize(
    ("trend", "told"),
    [
        (None, "too few readings in the last hour to tell a trend"),
        (Trend(0.2, 0.01), "steady over the last hour"),
        (Trend(40, 30), "steady over the last hour"),
        (Trend(8.5, 0.5), "rising 8.5 ±1.0 an hour · at this pace 75 by 14:00"),
        (Trend(-8.25, 0.5), "falling 8.2 ±1.0 an hour · at this pace 50 by 12:58"),
        (Trend(1.5, 0.1), "rising 1.5 ±0.2 an hour · at this pace 75 by 23:20"),
        (Trend(-66.0, 0.5), "falling 66.0 ±1.0 an hour · at this pace 50 by 12:07"),
    ],
)
def test_outlook(dust: Series, trend: Trend | None, told: str) -> None:
    value = 75 - 8.5 * 2 if trend and trend.per_hour > 0 else 58.0
    assert outlook(dust, value, trend, NOON_US, LONDON) == told


def test_nothing_is_foretold_too_far_ahead(dust: Series) -> None:
    slow = outlook(dust, 30, Trend(1.6, 0.01), NOON_US, LONDON)
    assert slow == "rising 1.6 an hour"


def test_the_account_of_a_day(store: Store, dust: Series) -> None:
    """An hour at 10, a gap of two, an hour at 30, ending at noon."""
    first = [(NOON_US + (at - 240) * MINUTE_US, 10.0) for at in range(61)]
    second = [(NOON_US + (at - 60) * MINUTE_US, 30.0) for at in range(61)]
    append(store, dust, *first, *second)
    newest = Latest(dust.id, NOON_US, 30.0, Quality.GOOD)
    with store.read() as connection:
        account = SeriesSummaryQuery(dust, newest, NOON_US, LONDON).run(connection)
    assert (account.value, account.level, account.sentence) == ("30", 2, "5 over the limit of 25")
    assert account.outlook == "steady over the last hour"
    facts = {fact.name: (fact.value, fact.remark) for fact in account.facts}
    assert facts == {
        "Highest today": ("30", "11:00"),
        "Mean today": ("20.0", ""),
        "Lowest today": ("10", "08:00"),
        "Past the limit": ("1 h", "of 24 h"),
        "Heard": ("8.4 %", "1\u2009319 missed"),
        "Accuracy": ("±3", "µg/m³"),
    }
    assert account.chart.gaps is not None
    widths = np.diff(account.chart.gaps, axis=1).ravel() / MINUTE_US
    assert widths == pytest.approx([20 * 60, 120], abs=1)


def test_the_account_of_a_state_says_how_long_it_was_on(store: Store) -> None:
    switch = begin_series(store, "switch")
    append(store, switch, *((NOON_US - at * MINUTE_US, float(at <= 30)) for at in range(121)))
    newest = Latest(switch.id, NOON_US, 1.0, Quality.GOOD)
    with store.read() as connection:
        account = SeriesSummaryQuery(switch, newest, NOON_US, LONDON).run(connection)
    assert account.value == "on"
    assert account.outlook == ""
    assert account.facts[0].name == "On today"
    assert account.facts[0].value in ("30 min", "31 min")


def test_a_reading_ahead_of_the_clock_says_how_far_the_one_before_it_speaks(
    store: Store, dust: Series
) -> None:
    """Found by the oracle: the last reading before now counted as a lone one, a whole minute."""
    early = [(NOON_US - 60 * MINUTE_US, 5.0), (NOON_US - 59 * MINUTE_US, 5.0)]
    append(store, dust, *early, (NOON_US - 1_000_000, 40.0), (NOON_US + MINUTE_US, 25.0))
    newest = Latest(dust.id, NOON_US, 40.0, Quality.GOOD)
    with store.read() as connection:
        account = SeriesSummaryQuery(dust, newest, NOON_US, LONDON).run(connection)
    facts = {fact.name: fact.value for fact in account.facts}
    # A minute at 5 and a second at 40, of 61 seconds.
    assert (facts["Mean today"], facts["Highest today"]) == ("5.6", "40")


@pytest.mark.parametrize(
    ("minutes", "told"),
    [
        (1, "steady over the last hour"),
        (3, "late: 3 min since the last reading · steady over the last hour"),
        (41, "silent: 41 min since the last reading, which says nothing of now"),
    ],
)
def test_nothing_is_foretold_from_what_is_silent(
    store: Store, dust: Series, minutes: int, told: str
) -> None:
    rows = [(NOON_US - (minutes + at) * MINUTE_US, 10.0) for at in range(40)]
    append(store, dust, *reversed(rows))
    newest = Latest(dust.id, NOON_US - minutes * MINUTE_US, 10.0, Quality.GOOD)
    with store.read() as connection:
        summary = SeriesSummaryQuery(dust, newest, NOON_US, LONDON).run(connection)
    assert summary.outlook == told
