"""Pages give every reading back to the last bit; buckets agree with the exact statistics."""

from __future__ import annotations

import math
import struct

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.errors import DamagedPageError
from rook_tally.core.series.buckets import buckets_of, merged
from rook_tally.core.series.packed_tables import packed_columns, unpacked_tables
from rook_tally.core.series.page_codec import checksum, decode, decode_many, encode
from rook_tally.core.series.readings import Readings, in_whole_units, joined, readings_from
from rook_tally.core.series.statistics import Window, mean_of, pieces_of

times = st.lists(st.integers(0, 4 * 10**15), min_size=1, max_size=50, unique=True).map(sorted)
values = st.one_of(
    st.floats(allow_nan=False, allow_infinity=False),
    st.decimals(-1000, 1000, places=2).map(float),
    st.just(-0.0),
)


# Whole microseconds, milliseconds, seconds.
units = st.sampled_from([1, 1_000, 1_000_000])


@given(times, units, st.data())
def test_there_and_back_bit_for_bit(moments: list[int], unit: int, data: st.DataObject) -> None:
    moments = sorted({one // unit * unit for one in moments})
    size = len(moments)
    readings = readings_from(
        moments,
        data.draw(st.lists(values, min_size=size, max_size=size)),
        data.draw(st.lists(st.integers(0, 4), min_size=size, max_size=size)),
    )
    back = decode(encode(readings))
    assert back.time_us.tolist() == moments
    assert back.value.tobytes() == readings.value.tobytes()
    assert back.quality.tolist() == readings.quality.tolist()


@given(st.lists(st.tuples(times, st.integers(0, 4)), min_size=1, max_size=9), st.data())
def test_pages_together_are_as_one_by_one(
    pages: list[tuple[list[int], int]], data: st.DataObject
) -> None:
    """Whatever mixture: even and jumping times, whole steps and raw values, with marks and
    without."""
    several = []
    for moments, sort in pages:
        count = len(moments)
        plain = np.arange(count) * (0.1 if sort else math.pi)
        value = np.asarray(np.round(plain, 1) if sort else plain, np.float64)
        quality = np.full(count, sort == 2, dtype=np.uint8)
        time_us = np.arange(count) * 300_000_000 if sort == 3 else np.array(moments)
        if sort == 4:
            time_us = np.unique(time_us // 1_000) * 1_000
            value, quality = value[: len(time_us)], quality[: len(time_us)]
        several.append(Readings(np.asarray(time_us, np.int64), value, quality))
    payloads = [encode(one) for one in several]
    together, apart = decode_many(payloads), joined([decode(one) for one in payloads])
    for name in ("time_us", "value", "quality"):
        made, wanted = getattr(together, name), getattr(apart, name)
        assert made.dtype == wanted.dtype
        assert made.tobytes() == wanted.tobytes()
    # One that is damaged is told as it is alone.
    at = data.draw(st.integers(0, len(payloads) - 1))
    payloads[at] = payloads[at][:-1]
    with pytest.raises(DamagedPageError):
        decode_many(payloads)


@given(st.lists(st.binary(max_size=200), min_size=3, max_size=5), st.integers(0, 2))
def test_hostile_bytes_among_pages_are_damaged_and_nothing_else(
    bytes_told: list[bytes], kept: int
) -> None:
    good = encode(_day(3600))
    bytes_told[kept] = good
    with pytest.raises(DamagedPageError):
        decode_many(bytes_told)


def _day(cadence_s: int = 10, seed: int = 1) -> Readings:
    rng = np.random.default_rng(seed)
    count = 86_400 // cadence_s
    moments = np.arange(count) * cadence_s * 1_000_000 + rng.normal(0, 20_000, count).astype(int)
    course = 20 + 3 * np.sin(np.arange(count) / count * 2 * math.pi)
    drift = np.cumsum(rng.normal(0, 0.004, count))
    return readings_from(np.sort(moments) + 10**9, np.round(course + drift, 2))


def test_a_page_is_small() -> None:
    """Decimals are kept as whole steps: under half of what float64 would take."""
    readings = _day()
    assert len(encode(readings)) < 4.0 * len(readings)
    noisy = readings_from(readings.time_us, np.random.default_rng(2).normal(size=len(readings)))
    assert decode(encode(noisy)).value.tobytes() == noisy.value.tobytes()


@pytest.mark.parametrize(("unit_us", "most"), [(1_000, 1.05), (1_000_000, 0.4)])
def test_times_in_whole_units_take_less(unit_us: int, most: float) -> None:
    """A sensor that tells whole seconds, or a store that is set to keep milliseconds."""
    day = in_whole_units(_day(), unit_us)
    payload = encode(day)
    assert len(payload) / len(day) < most
    assert decode(payload).time_us.tolist() == day.time_us.tolist()


def test_a_page_built_in_a_way_we_do_not_know_is_refused() -> None:
    payload = bytearray(encode(_day()))
    payload[7] |= 32
    with pytest.raises(DamagedPageError, match="built in a way we do not know"):
        decode(bytes(payload))


def test_of_readings_within_one_unit_the_last_is_left() -> None:
    several = readings_from([999, 1_000, 1_400, 1_999, 3_000], [1.0, 2.0, 3.0, 4.0, 5.0])
    cut = in_whole_units(several, 1_000)
    assert cut.time_us.tolist() == [0, 1_000, 3_000]
    assert cut.value.tolist() == [1.0, 4.0, 5.0]
    assert in_whole_units(several, 1) is several


def test_every_flipped_byte_is_found_by_the_checksum() -> None:
    payload = bytearray(encode(_day(300)))
    right = checksum(bytes(payload))
    for at in range(0, len(payload), 7):
        payload[at] ^= 0x40
        assert checksum(bytes(payload)) != right
        payload[at] ^= 0x40


@pytest.mark.parametrize("cut", [0, 3, 20, 60, -1])
def test_a_page_that_is_not_whole_is_refused_in_words(cut: int) -> None:
    with pytest.raises(DamagedPageError, match="page"):
        decode(encode(_day(300))[:cut])


def test_a_page_of_another_format_is_refused() -> None:
    payload = bytearray(encode(_day(300)))
    struct.pack_into("<H", payload, 4, 9)
    with pytest.raises(DamagedPageError, match="format we do not know"):
        decode(bytes(payload))


def test_columns_there_and_back() -> None:
    columns = (np.arange(5, dtype="<i4"), np.linspace(0, 1, 5).astype("<f4"))
    blob = packed_columns(*columns)
    back = unpacked_tables([blob, blob], "<i4", "<f4", rows=5)
    assert [one.tolist() for one in back] == [2 * one.tolist() for one in columns]
    with pytest.raises(DamagedPageError, match="damaged"):
        unpacked_tables([blob], "<i4", "<f4", "<f8", rows=5)


series = st.lists(
    st.tuples(st.integers(0, 3600), st.floats(-50, 50), st.sampled_from([0, 0, 0, 1])),
    max_size=60,
    unique_by=lambda row: row[0],
).map(lambda rows: sorted(rows, key=lambda row: row[0]))


@given(series)
def test_buckets_agree_with_the_exact_statistics(rows: list[tuple[int, float, int]]) -> None:
    readings = readings_from(
        [second * 1_000_000 for second, _, _ in rows],
        [value for _, value, _ in rows],
        [quality for _, _, quality in rows],
    )
    width = 300_000_000
    buckets = buckets_of(readings, start_us=0, width_us=width, count=12, max_gap_s=180)
    good = readings.good
    for at in range(12):
        window = (readings.time_us >= at * width) & (readings.time_us < (at + 1) * width)
        mine = readings.value[window & good]
        assert buckets.count[at] == len(mine)
        assert buckets.suspect[at] == np.count_nonzero(window & ~good)
        if len(mine):
            assert (buckets.low[at], buckets.high[at]) == (mine.min(), mine.max())
        pieces = pieces_of(
            readings, max_gap_s=180, cadence_s=1e-9, window=Window(at * width, (at + 1) * width)
        )
        if buckets.covered_s[at] > 0:
            assert buckets.covered_s[at] == pytest.approx(pieces.covered_s, abs=1e-5)
            assert buckets.mean[at] == pytest.approx(mean_of(pieces), abs=1e-4)


@given(series)
def test_merging_buckets_is_the_same_as_making_wider_ones(
    rows: list[tuple[int, float, int]],
) -> None:
    readings = readings_from(
        [second * 1_000_000 for second, _, _ in rows], [value for _, value, _ in rows]
    )
    fine = buckets_of(readings, start_us=0, width_us=300_000_000, count=12, max_gap_s=180)
    wide = buckets_of(readings, start_us=0, width_us=1_200_000_000, count=3, max_gap_s=180)
    both = merged(fine, 4)
    assert both.count.tolist() == wide.count.tolist()
    np.testing.assert_array_equal(both.low, wide.low)
    np.testing.assert_array_equal(both.high, wide.high)
    np.testing.assert_allclose(both.covered_s, wide.covered_s, atol=1e-6)
    covered = wide.covered_s > 1e-3
    np.testing.assert_allclose(both.mean[covered], wide.mean[covered], atol=1e-6)
