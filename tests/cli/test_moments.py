"""Moments given to a command, held against Python's own reading of ISO 8601."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta, timezone
from zoneinfo import ZoneInfo

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from rook_tally.cli.moments import moment_us
from rook_tally.core.errors import UsageError
from rook_tally.core.time_input import typed_time

ZONE = ZoneInfo("Europe/London")
NOW = datetime(2026, 11, 23, 14, 32, 8, tzinfo=ZONE)
EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
MOMENTS = st.datetimes(datetime(1971, 1, 1), datetime(2099, 1, 1))


def us(moment: datetime) -> int:
    return (moment - EPOCH) // timedelta(microseconds=1)


NOW_US = us(NOW)


def read(text: str, now_us: int = NOW_US) -> int:
    return moment_us(text, now_us=now_us, zone=ZONE)


@given(MOMENTS, st.integers(-14 * 60, 14 * 60), st.sampled_from("tT "), st.booleans())
def test_a_moment_with_an_offset_is_that_moment_in_any_zone(
    naive: datetime, minutes: int, between: str, is_small: bool
) -> None:
    moment = naive.replace(tzinfo=timezone(timedelta(minutes=minutes)))
    text = moment.isoformat(sep=between)
    assert read(text) == us(moment)
    zulu = moment.astimezone(UTC).isoformat(sep=between).removesuffix("+00:00")
    assert read(f"{zulu}{'z' if is_small else 'Z'}") == us(moment)


@given(MOMENTS, st.sampled_from("T "))
def test_a_local_time_is_one_of_the_site(naive: datetime, between: str) -> None:
    local = naive.replace(tzinfo=ZONE)
    # The hours that the clocks skip, or show twice, are below.
    assume(local.utcoffset() == local.replace(fold=1).utcoffset())
    assert read(naive.isoformat(sep=between)) == us(local)


@pytest.mark.parametrize("text", ["2026-10-25 01:30", "2026-10-25T01:30:00", "25.10.2026 1:30"])
def test_in_the_hour_that_comes_twice_every_form_means_what_the_window_means(text: str) -> None:
    second = datetime(2026, 10, 25, 1, 30, tzinfo=UTC)
    assert read(text) == us(second)
    assert typed_time(text, now_us=NOW_US, zone=ZONE).start_us == us(second)
    # While only the first of the two has been, that one.
    between = us(datetime(2026, 10, 25, 0, 45, tzinfo=UTC))
    assert read(text, between) == us(datetime(2026, 10, 25, 0, 30, tzinfo=UTC))


@given(st.text(max_size=200))
def test_anything_is_a_moment_or_a_plain_refusal(text: str) -> None:
    try:
        read(text)
    except UsageError as error:
        assert error.what
