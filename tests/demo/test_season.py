"""What a season of the pottery holds that nobody has labelled: the Bench finds it."""

from __future__ import annotations

from pathlib import Path

import pytest

from rook_tally.bench.air import AirRoom, air, cleaner_named
from rook_tally.bench.calibrate import record_of
from rook_tally.cli.demo_site import make_demo_site
from rook_tally.core.timestamps import DAY_US, time_us_from_text
from rook_tally.demo import hand_readings
from rook_tally.store.maintenance import open_store
from rook_tally.store.site import load_site

END_US = time_us_from_text("2026-11-23T14:30:00Z")
DAYS = 75.0


def test_a_purifier_and_a_probe_calibrated_twice(tmp_path: Path) -> None:
    with open_store(tmp_path / "season.db") as store:
        make_demo_site(store, end_us=END_US, days=DAYS)
        with store.read() as connection:
            site = load_site(connection)
            series = {(one.station.key, one.field): one for one in site.series}
            dust = series["throwing-wall", "pm25"]
            room = AirRoom(120.0, cleaner=cleaner_named(site, dust))
            told = air(connection, site, dust, END_US - round(DAYS * DAY_US), END_US, room)
            probe = series[hand_readings.KEY, hand_readings.FIELD]
            record = record_of(connection, probe, now_us=END_US)
    # Dust settles in 3600 s, with the purifier in 1150 s; on as many days as without.
    assert told.cleaning is not None
    assert told.cleaning.without_it.median == pytest.approx(1.0, abs=0.06)
    assert told.cleaning.with_it.median == pytest.approx(3600 / 1150, abs=0.2)
    assert told.cleaning.m3_h == pytest.approx(120 * (3600 / 1150 - 1), abs=25)
    assert len(record.corrections) == 2
    assert len(record.points) == 10
    first, second = (one.correction.offset for one in record.corrections)
    assert 1.5 < first < second < 4.0
