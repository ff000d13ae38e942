"""Reports against what must be so: figures of known series, days past a guideline, same bytes."""

from __future__ import annotations

import hashlib
import re
from datetime import date
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
import pytest

from rook_tally.core.errors import UsageError
from rook_tally.core.reports.definitions import Report, ReportForm, ReportPart, ReportStretch
from rook_tally.core.reports.document import Paragraph, ReportDocument, ReportTable
from rook_tally.core.reports.periods import midnight_us, period_named
from rook_tally.core.series.corrections import Correction
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.reports.build import build
from rook_tally.reports.writing import bytes_of, make, write_files
from rook_tally.store.base import Store
from rook_tally.store.site import add_correction, set_site
from rook_tally.store.site.reports import WrittenReport, note_written, save_report
from tests.bench.air_of_rooms import START_US, keep, moments

MONTH = period_named("2026-03")
AFTER_US = START_US + 60 * DAY_US
ALL = Report(slug="all", name="All of it", parts=tuple(ReportPart))


@pytest.fixture
def shop(store: Store) -> Store:
    """PM2.5 of 5 µg/m³ but for three whole days of 20, a switch on from 8 to 10 h, and CO₂."""
    with store.write() as connection:
        set_site(connection, name="Pottery", zone="UTC")
    time_us = moments(40)
    day, hour = (time_us - START_US) // DAY_US, (time_us - START_US) % DAY_US / HOUR_US
    keep(store, "booth", time_us, np.where((day >= 3) & (day < 6), 20.0, 5.0), quantity="pm25")
    keep(store, "booth", time_us, ((hour >= 8) & (hour < 10)).astype(float), quantity="switch")
    keep(store, "room", time_us, np.full(len(time_us), 600.0), place="Room")
    return store


def built(store: Store, report: Report = ALL, period: str = "2026-03") -> ReportDocument:
    with store.read() as connection:
        return build(connection, report, period_named(period), now_us=AFTER_US)


def tables(told: ReportDocument, part: ReportPart) -> list[ReportTable]:
    return [
        block
        for section in told.sections
        if section.part == part
        for block in section.blocks
        if isinstance(block, ReportTable)
    ]


def words(told: ReportDocument, part: ReportPart) -> str:
    return " ".join(
        block.text
        for section in told.sections
        if section.part == part
        for block in section.blocks
        if isinstance(block, Paragraph)
    )


def test_figures_are_those_of_the_month(shop: Store) -> None:
    found = {
        table.head[0]: [[cell.text for cell in row] for row in table.rows]
        for table in tables(built(shop), ReportPart.FIGURES)
    }
    (booth,) = found["PM2.5, µg/m³"]
    # 30 of 31 days were heard: the history begins on the 2nd.
    assert (booth[1], booth[4], booth[6]) == ("5", "20", "96.8 %")
    assert float(booth[3]) == pytest.approx((27 * 5 + 3 * 20) / 30, abs=0.6)
    (switch,) = found["Switch"]
    # It is held until it says otherwise: two hours on each of thirty days.
    assert switch[1:4] == ["60 h", "8.3 %", "30"]


def test_days_past_a_guideline_are_those_that_were(shop: Store) -> None:
    told = built(shop)
    rows = [[cell.text for cell in row] for row in tables(told, ReportPart.LIMITS)[0].rows]
    who = next(row for row in rows if row[1].startswith("WHO, mean of a day"))
    assert who[0].startswith("Shop") and who[3] == "3 of 30 days"
    assert "three days" in words(told, ReportPart.SENTENCES)


@pytest.mark.parametrize(
    ("days", "told"),
    [
        (40, "Nothing was remarkable: no alarm rang and all was heard."),
        (3, "No alarm rang. Not everything was heard."),
    ],
)
def test_all_was_heard_is_only_said_when_each_series_was(
    store: Store, days: int, told: str
) -> None:
    """One station, two series: what the second does not say is not made up for by the first."""
    for quantity, kept in (("humidity", 40), ("temperature", days)):
        time_us = moments(kept)
        keep(store, "room", time_us, np.full(len(time_us), 20.0), quantity=quantity)
    assert words(built(store), ReportPart.SENTENCES) == told


def _print_of(body: bytes) -> str:
    """What tells a file from another: pytest would take hours to explain two unlike ones."""
    return hashlib.sha256(body).hexdigest()


def test_the_same_report_is_the_same_to_the_byte(shop: Store) -> None:
    made: list[tuple[str, str, str]] = []
    for _ in range(2):
        with shop.read() as connection:
            told = make(connection, ALL, MONTH, now_us=AFTER_US + len(made) * DAY_US)
        pdf, html = bytes_of(told, ReportForm.PDF), bytes_of(told, ReportForm.HTML)
        made.append((told.digest, _print_of(pdf), _print_of(html)))
    assert made[0] == made[1]
    assert pdf.startswith(b"%PDF-") and pdf.rstrip().endswith(b"%%EOF")
    text = html.decode()
    assert "<script" not in text and "http://www.w3.org/2000/svg" in text
    assert not re.search(r'(src|href)="', text)


def test_what_another_version_of_the_program_wrote_is_not_called_changed(shop: Store) -> None:
    """It may have drawn the same otherwise: nobody can say."""
    with shop.write() as connection:
        save_report(connection, ALL)
        note_written(connection, WrittenReport("all", "2026-03", AFTER_US, "1:abc", 3))
        assert make(connection, ALL, MONTH, now_us=AFTER_US + DAY_US).was is None


def test_a_correction_that_reaches_into_it_is_said(shop: Store) -> None:
    with shop.read() as connection:
        first = make(connection, ALL, MONTH, now_us=AFTER_US)
    with shop.write() as connection:
        save_report(connection, ALL)
        note_written(connection, WrittenReport("all", "2026-03", AFTER_US, first.digest, 3))
        series = 1
        add_correction(
            connection,
            series,
            Correction(START_US, 1.0, 1.0),
            who="wren",
            why="hand meter",
            now_us=AFTER_US + HOUR_US,
        )
    again = []
    for _ in range(2):
        with shop.read() as connection:
            told = make(connection, ALL, MONTH, now_us=AFTER_US + 2 * HOUR_US)
        assert told.was is not None and told.was.digest == first.digest
        assert "a correction of 1 May reaches into it" in words(told.document, "changed")  # type: ignore[arg-type]
        again.append(_print_of(bytes_of(told, ReportForm.PDF)))
        with shop.write() as connection:
            note_written(connection, WrittenReport("all", "2026-03", AFTER_US, told.digest, 3))
    # Also once what is new has been written: the same bytes as then.
    assert again[0] == again[1]


def test_a_month_with_nothing_in_it_says_so(shop: Store) -> None:
    told = built(shop, period="2025-01")
    assert "Nothing was heard" in words(told, ReportPart.SENTENCES)
    assert told.aside[0].startswith("0 stations")
    with shop.read() as connection:
        made = make(connection, ALL, period_named("2025-01"), now_us=AFTER_US)
    assert bytes_of(made, ReportForm.PDF)


def test_a_stretch_that_is_not_over_says_how_far_it_is_told(shop: Store) -> None:
    now_us = START_US + 10 * DAY_US
    with shop.read() as connection:
        told = build(connection, ALL, MONTH, now_us=now_us)
    assert "told as far as" in words(told, "so-far")  # type: ignore[arg-type]


def test_a_place_that_is_gone_is_named_and_the_others_stay(shop: Store) -> None:
    told = built(shop, Report(slug="a", name="a", places=("Room", "Attic")))
    assert "Not there any more: Attic" in words(told, ReportPart.SENTENCES)
    with pytest.raises(UsageError, match="not there any more: Attic"):
        built(shop, Report(slug="a", name="a", places=("Attic",)))


def test_a_day_of_25_hours_counts_as_one_day(store: Store) -> None:
    zone = ZoneInfo("Europe/London")
    with store.write() as connection:
        set_site(connection, name="Pottery", zone=str(zone))
    begin = midnight_us(date(2026, 10, 25), zone)
    time_us = begin + np.arange(25 * 12, dtype=np.int64) * 300_000_000
    keep(store, "wall", time_us, np.full(len(time_us), 900.0))
    report = Report(
        slug="d",
        name="d",
        stretch=ReportStretch.DAY,
        parts=(ReportPart.FIGURES, ReportPart.LIMITS, ReportPart.HOURS),
    )
    with store.read() as connection:
        told = build(connection, report, period_named("2026-10-25"), now_us=begin + 40 * DAY_US)
    (row,) = tables(told, ReportPart.FIGURES)[0].rows
    assert row[6].text == "100.0 %"
    assert all(
        row[3].text in ("0 of 1 days", "1 of 1 days")
        for row in tables(told, ReportPart.LIMITS)[0].rows
    )


def test_a_folder_that_is_full_keeps_what_was_there(shop: Store, tmp_path: Path) -> None:
    with shop.read() as connection:
        made = make(connection, ALL, MONTH, now_us=AFTER_US)
    blocked = tmp_path / "reports"
    blocked.write_text("a file, not a folder")
    with pytest.raises(UsageError, match="cannot be written into"):
        write_files(made, blocked, (ReportForm.PDF,))
    assert blocked.read_text() == "a file, not a folder"
    (written,) = write_files(made, tmp_path / "new", (ReportForm.PDF,))
    assert (
        hashlib.sha256(written.read_bytes()).digest()
        == hashlib.sha256(bytes_of(made, ReportForm.PDF)).digest()
    )
    assert [one.name for one in (tmp_path / "new").iterdir()] == [written.name]
