"""The archive as a whole against a plain model of it: whatever the order, reads tell the truth."""

from __future__ import annotations

import math

import numpy as np
import pytest
import sqlalchemy as sa
from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import (
    RuleBasedStateMachine,
    invariant,
    precondition,
    rule,
    run_state_machine_as_test,
)
from sqlalchemy.engine import Connection

from rook_tally.core.errors import DamagedPageError
from rook_tally.core.series.corrections import Correction
from rook_tally.core.series.gaps import find_gaps
from rook_tally.core.series.readings import Quality, Readings, readings_from
from rook_tally.core.series.screening import screened
from rook_tally.core.timestamps import DAY_US, time_us_from_text
from rook_tally.store.base import Store, schema
from rook_tally.store.base.raw_sql import fetched
from rook_tally.store.readings import (
    NewReading,
    append_history,
    append_readings,
    append_sealed,
    damaged_pages,
    envelopes,
    gaps_between,
    history_of,
    latest,
    overrule,
    read_range,
    read_raw_range,
    seal,
    seal_all,
    sealing,
    span_of,
    stretches_due,
    withdraw_overruling,
)
from rook_tally.store.readings.fortnights import fortnight_of
from rook_tally.store.readings.removal import remove_stretch
from rook_tally.store.site import (
    Series,
    add_correction,
    correction_entries,
    load_site,
    withdraw_correction,
)
from tests.builders import MINUTE_US, append, begin_series
from tests.examples import examples

MIDNIGHT_US = time_us_from_text("2026-11-20T00:00:00Z")
LATER_US = MIDNIGHT_US + 30 * DAY_US

# The last two days of one fortnight of pages, and the first two of the next.
days_of_two_fortnights = st.integers(11, 14)
moments = st.builds(
    lambda day, minute: MIDNIGHT_US + day * DAY_US + minute * MINUTE_US,
    days_of_two_fortnights,
    st.sampled_from([0, 1, 2, 5, 700, 701, 1438, 1439]),
)
readings = st.tuples(
    moments, st.sampled_from([0.0, 1.0, 2.5, -3.75, 1e-9]), st.sampled_from([0, 0, 0, 1])
)


class Archive(RuleBasedStateMachine):
    """Appends, duplicates, late readings, revisions, sealing, corrections and overrulings in any
    order, on one engine."""

    store: Store

    def __init__(self) -> None:
        super().__init__()
        with self.store.write() as connection:
            for table in reversed(schema.metadata.sorted_tables):
                if table.name not in ("meta", "alembic_version"):
                    connection.execute(sa.delete(table))
        self.series = begin_series(self.store)
        self.truth: dict[int, tuple[float, int]] = {}
        self.corrections: dict[int, Correction] = {}
        self.overruled: tuple[int, int, int] | None = None
        self.dense: list[int] = []

    @rule(batch=st.lists(readings, min_size=1, max_size=6))
    def append(self, batch: list[tuple[int, float, int]]) -> None:
        with self.store.write() as connection:
            outcome = append_readings(
                connection,
                [
                    NewReading(self.series.id, at, value, Quality(quality))
                    for at, value, quality in batch
                ],
            )
        for (at, value, quality), duplicate in zip(batch, outcome.duplicate, strict=True):
            assert duplicate == (at in self.truth and self.truth[at][0] == value)
            if not duplicate:
                self.truth[at] = (value, quality)

    @rule(start=moments, gain=st.sampled_from([0.5, 2.0, -1.0]), offset=st.sampled_from([0.0, 3.0]))
    def correct(self, start: int, gain: float, offset: float) -> None:
        correction = Correction(start, gain, offset)
        with self.store.write() as connection:
            add_correction(
                connection, self.series.id, correction, who="me", why="a test", now_us=LATER_US
            )
        self.corrections[start] = correction

    @precondition(lambda self: self.corrections)
    @rule(data=st.data())
    def withdraw_a_correction(self, data: st.DataObject) -> None:
        start = data.draw(st.sampled_from(sorted(self.corrections)))
        with self.store.write() as connection:
            (entry,) = [
                one
                for one in correction_entries(connection, self.series.id)
                if one.correction.from_us == start
            ]
            withdraw_correction(connection, entry.id)
        del self.corrections[start]

    @precondition(lambda self: self.overruled is None)
    @rule(start=moments, minutes=st.sampled_from([2, 30, 2000]), quality=st.sampled_from([0, 1]))
    def overrule_a_stretch(self, start: int, minutes: int, quality: int) -> None:
        end = start + minutes * MINUTE_US
        with self.store.write() as connection:
            number = overrule(
                connection, self.series, start, end, Quality(quality), who="me", why="a test"
            )
        self.overruled = (number, start, end)
        for at, (value, _) in self.truth.items():
            if start <= at < end:
                self.truth[at] = (value, quality)

    @precondition(lambda self: self.overruled is not None)
    @rule()
    def withdraw_the_overruling(self) -> None:
        """Screening speaks again for the stretch, from all readings as they are now."""
        assert self.overruled is not None
        number, start, end = self.overruled
        with self.store.write() as connection:
            withdraw_overruling(connection, self.series, number)
        self.overruled = None
        rows = sorted((at, *kept) for at, kept in self.truth.items())
        if rows:
            everything = readings_from(*zip(*rows, strict=True))
            judged = screened(everything, self.series.quantity, max_gap_s=180)
            for (at, value, _), quality in zip(rows, judged.tolist(), strict=True):
                if start <= at < end:
                    self.truth[at] = (value, quality)

    def _corrected(self, at: int, value: float) -> float:
        since = [start for start in self.corrections if start <= at]
        if not since:
            return value
        correction = self.corrections[max(since)]
        return correction.gain * value + correction.offset

    @precondition(lambda self: not self.dense)
    @rule(day=days_of_two_fortnights)
    def append_more_in_an_hour_than_a_fortnight_takes(self, day: int) -> None:
        first_us = MIDNIGHT_US + day * DAY_US + 900 * MINUTE_US
        self.dense = [first_us + at * 2_500_000 for at in range(1_200)]
        with self.store.write() as connection:
            append_readings(
                connection,
                [NewReading(self.series.id, at, 1.25, Quality.GOOD) for at in self.dense],
            )
        self.truth |= dict.fromkeys(self.dense, (1.25, 0))

    @precondition(lambda self: self.dense)
    @rule()
    def take_them_away_again(self) -> None:
        value = [self.truth[at][0] for at in self.dense]
        with self.store.write() as connection:
            gone = remove_stretch(connection, self.series, readings_from(self.dense, value))
        assert gone == len(self.dense)
        for at in self.dense:
            del self.truth[at]
        self.dense = []

    @rule(day=days_of_two_fortnights)
    def seal_a_day(self, day: int) -> None:
        assert seal(self.store, self.series, MIDNIGHT_US + day * DAY_US)

    @rule()
    def seal_what_is_due(self) -> None:
        seal_all(self.store, {self.series.id: self.series}, now_us=LATER_US)
        assert stretches_due(self.store, now_us=LATER_US) == []

    @rule(
        start=moments, days=st.sampled_from([0.001, 0.5, 1, 4]), columns=st.sampled_from([1, 3, 96])
    )
    def envelopes_agree(self, start: int, days: float, columns: int) -> None:
        end = start + round(days * DAY_US)
        with self.store.read() as connection:
            envelope = envelopes(connection, [self.series], start, end, columns)[self.series.id]
        width = (envelope.end_us - envelope.start_us) // columns
        if width >= 300 * 1_000_000:
            # Summaries may lie across a column's edge, never across that of whole days.
            if start % DAY_US or days < 1:
                return
            width, columns = envelope.end_us - envelope.start_us, 1
        for column in range(columns):
            begin = start + column * width
            mine = [
                self._corrected(at, v)
                for at, (v, q) in self.truth.items()
                if begin <= at < begin + width and not q
            ]
            part = slice(column, column + 1) if columns > 1 else slice(None)
            assert envelope.count[part].sum() == len(mine)
            if mine:
                assert np.nanmin(envelope.low[part]) == pytest.approx(min(mine), rel=1e-6)
                assert np.nanmax(envelope.high[part]) == pytest.approx(max(mine), rel=1e-6)

    @rule(start=moments, end=moments)
    def gaps_agree(self, start: int, end: int) -> None:
        if end <= start:
            return
        with self.store.read() as connection:
            found = gaps_between(connection, self.series, start, end)
        rows = sorted((at, v) for at, (v, q) in self.truth.items() if not q)
        everything = readings_from([at for at, _ in rows], [v for _, v in rows])
        good = everything.time_us
        before, after = good[good < start], good[good >= end]
        whole = find_gaps(
            everything,
            max_gap_s=180,
            start_us=int(before[-1]) if len(before) else start,
            end_us=int(after[0]) + 1 if len(after) else end,
        )
        if not len(good):
            whole = np.array([[start, end]])
        clipped = np.clip(whole, start, end)
        expected = clipped[clipped[:, 1] > clipped[:, 0]]
        assert found.tolist() == expected.tolist()

    @invariant()
    def reads_tell_the_truth(self) -> None:
        with self.store.read() as connection:
            everything = read_range(connection, self.series.id, 0, 2 * LATER_US)
            raw = read_raw_range(connection, self.series.id, 0, 2 * LATER_US)
            newest = latest(connection)
            span = span_of(connection)
        moments_kept = sorted(self.truth)
        assert everything.time_us.tolist() == moments_kept
        told = [self._corrected(at, self.truth[at][0]) for at in moments_kept]
        assert everything.value.tolist() == told
        assert raw.value.tolist() == [self.truth[at][0] for at in moments_kept]
        assert everything.quality.tolist() == [self.truth[at][1] for at in moments_kept]
        if moments_kept:
            assert newest[self.series.id].value == told[-1]
            assert span == (moments_kept[0], moments_kept[-1])

    @invariant()
    def a_fortnight_is_whole(self) -> None:
        """Its days' readings stand together, or each in a row of its own."""
        with self.store.read() as connection:
            counts: dict[int, int] = dict(fetched(connection, "SELECT start_us, count FROM page"))
            apart = {day for (day,) in fetched(connection, "SELECT start_us FROM page_data")}
            fortnights = {
                fortnight
                for (fortnight,) in fetched(connection, "SELECT start_us FROM page_fortnight")
            }
        assert fortnights == {fortnight_of(day) for day in counts if day not in apart}
        assert not fortnights & {fortnight_of(day) for day in apart}
        assert not fortnights & {
            fortnight_of(day) for day, count in counts.items() if count >= 1_000
        }

    @invariant()
    def nothing_is_damaged(self) -> None:
        with self.store.read() as connection:
            assert damaged_pages(connection) == []


def test_whatever_the_order_reads_tell_the_truth(store: Store) -> None:
    run_state_machine_as_test(
        type("ArchiveOnOneEngine", (Archive,), {"store": store}),
        settings=settings(
            max_examples=examples(16),
            stateful_step_count=14,
            deadline=None,
            suppress_health_check=[HealthCheck.too_slow],
        ),
    )


@pytest.fixture
def sealed(store: Store) -> Series:
    """Three days at 10 s, the first two sealed; an hour missing on the second."""
    series = begin_series(store, key="dust", place="Booth")
    with store.write() as connection:
        connection.execute(sa.update(schema.station).values(cadence_s=10.0))
    with store.read() as connection:
        series = load_site(connection).series[0]
    moments_us = MIDNIGHT_US + np.arange(3 * 8640) * 10_000_000
    hour = (moments_us >= MIDNIGHT_US + 30 * 3600 * 10**6) & (
        moments_us < MIDNIGHT_US + 31 * 3600 * 10**6
    )
    moments_us = moments_us[~hour]
    value = np.round(20 + 5 * np.sin(moments_us / DAY_US * 2 * math.pi), 2)
    with store.write() as connection:
        append_history(connection, series.id, readings_from(moments_us, value))
    assert seal_all(store, {series.id: series}, now_us=MIDNIGHT_US + 4 * DAY_US) == 2
    return series


def test_sealed_rows_leave_the_row_table(store: Store, sealed: Series) -> None:
    with store.read() as connection:
        rows = connection.execute(sa.select(sa.func.count()).select_from(schema.reading)).scalar()
        pages = connection.execute(sa.select(schema.page)).all()
    assert rows == 8640
    assert [page._mapping["count"] for page in pages] == [8640, 8280]


@pytest.mark.parametrize("columns", [3, 72, 1200, 20_000])
def test_every_grain_agrees_with_the_readings(store: Store, sealed: Series, columns: int) -> None:
    """Days, hours, five minutes or readings: the same counts, extremes and means."""
    with store.read() as connection:
        everything = read_range(connection, sealed.id, MIDNIGHT_US, MIDNIGHT_US + 3 * DAY_US)
        envelope = envelopes(connection, [sealed], MIDNIGHT_US, MIDNIGHT_US + 3 * DAY_US, columns)[
            sealed.id
        ]
    width = 3 * DAY_US / columns
    at = ((everything.time_us - MIDNIGHT_US) // width).astype(int)
    assert envelope.count.sum() == len(everything)
    assert np.nanmin(envelope.low) == pytest.approx(everything.value.min(), abs=1e-5)
    filled = np.flatnonzero(envelope.count)
    means = [everything.value[at == column].mean() for column in filled[:: max(1, columns // 50)]]
    ours = envelope.mean[filled[:: max(1, columns // 50)]]
    assert ours == pytest.approx(np.array(means), abs=0.05)


def test_gaps_in_pages_and_between_them(store: Store, sealed: Series) -> None:
    with store.read() as connection:
        gaps = gaps_between(connection, sealed, MIDNIGHT_US, MIDNIGHT_US + 3 * DAY_US)
    assert ((gaps - MIDNIGHT_US) / 3.6e9).tolist() == [
        [pytest.approx(30 - 10 / 3600), pytest.approx(31)]
    ]


def test_readings_that_arrive_while_a_day_is_sealed_put_it_off(
    store: Store, sealed: Series, monkeypatch: pytest.MonkeyPatch
) -> None:

    late = MIDNIGHT_US + 5

    def reading_meanwhile(connection: Connection, *where: int) -> Readings:
        found = read_raw_range(connection, *where)
        append(store, sealed, (late, 1.5))
        return found

    monkeypatch.setattr(sealing, "read_raw_range", reading_meanwhile)
    assert not seal(store, sealed, MIDNIGHT_US)
    monkeypatch.setattr(sealing, "read_raw_range", read_raw_range)
    assert seal(store, sealed, MIDNIGHT_US)
    with store.read() as connection:
        assert read_range(connection, sealed.id, late, late + 1).value.tolist() == [1.5]


def test_a_flipped_byte_is_found_and_named_and_the_rest_still_read(
    store: Store, sealed: Series
) -> None:
    with store.write() as connection:
        page = connection.execute(sa.select(schema.page_data).limit(1)).one()
        broken = bytearray(page.payload)
        broken[len(broken) // 2] ^= 1
        connection.execute(
            sa.update(schema.page_data)
            .where(schema.page_data.c.start_us == page.start_us)
            .values(payload=bytes(broken))
        )
    with store.read() as connection:
        (told,) = damaged_pages(connection)
        assert (
            told
            == f"page of series {sealed.id} at 2026-11-20T00:00:00.000000Z: its checksum is wrong"
        )
        with pytest.raises(DamagedPageError, match="every other page can still be read"):
            read_range(connection, sealed.id, MIDNIGHT_US, MIDNIGHT_US + DAY_US)
        intact = read_range(connection, sealed.id, MIDNIGHT_US + DAY_US, MIDNIGHT_US + 3 * DAY_US)
    assert len(intact) == 8280 + 8640


@pytest.mark.parametrize("days", [0.5, 1, 3.3])
def test_a_long_history_is_written_as_pages_at_once(store: Store, days: float) -> None:
    """The same as appending it and sealing what is due."""
    series = begin_series(store)
    other = begin_series(store, "humidity")
    moments_us = MIDNIGHT_US + 7_000_000 + np.arange(round(days * 1440)) * MINUTE_US
    history = readings_from(moments_us, np.round(np.sin(moments_us / 7e9), 2))
    with store.write() as connection:
        before_us = MIDNIGHT_US + 2 * DAY_US + 5
        append_sealed(connection, history_of(series, history, before_us=before_us))
        append_history(connection, other.id, history)
    seal_all(store, {other.id: other}, now_us=MIDNIGHT_US + 4 * DAY_US + 5)
    with store.read() as connection:
        both = [read_range(connection, one.id, 0, LATER_US) for one in (series, other)]
        pages = [
            [
                (row.start_us, row.count, row.first_us, row.good_last_us, row.gaps)
                for row in connection.execute(
                    sa.select(schema.page).where(schema.page.c.series_id == one.id)
                )
            ]
            for one in (series, other)
        ]
        rows = connection.execute(
            sa.select(schema.reading.c.series_id, sa.func.count()).group_by(
                schema.reading.c.series_id
            )
        ).all()
    assert both[0].value.tolist() == both[1].value.tolist() == history.value.tolist()
    assert pages[0] == pages[1]
    assert len({count for _, count in rows}) <= 1


def test_a_day_that_begins_as_the_window_ends_is_left_out(store: Store, sealed: Series) -> None:
    """Two days in three columns: the columns do not come out even, the third day stays outside."""
    with store.read() as connection:
        envelope = envelopes(
            connection, [sealed], MIDNIGHT_US - 2 * DAY_US, MIDNIGHT_US + DAY_US, 7
        )[sealed.id]
        narrow = envelopes(connection, [sealed], MIDNIGHT_US, MIDNIGHT_US + DAY_US, 7)[sealed.id]
    assert envelope.count.sum() == narrow.count.sum() == 8640
