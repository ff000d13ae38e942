"""CSV files read in: previewed, mapped, in any usual writing, and taken back."""

from __future__ import annotations

from pathlib import Path

import pytest

from rook_tally.core.timestamps import DAY_US
from rook_tally.store.base import Store
from rook_tally.store.readings import damaged_pages, read_raw_range, seal_all
from rook_tally.store.site import Series, load_site, set_site
from tests.builders import MINUTE_US, NOON_US, append, begin_series
from tests.processes import rook_tally

LONG_AGO_US = NOON_US - 20 * DAY_US


@pytest.fixture
def series(store: Store) -> Series:
    """A station of a site in London with a sealed reading of long ago."""
    with store.write() as connection:
        set_site(connection, name="Site", zone="Europe/London")
    one = begin_series(store)
    append(store, one, (LONG_AGO_US, 20.0), (NOON_US, 21.0))
    seal_all(store, {one.id: one}, now_us=NOON_US)
    return one


def _values(store: Store, quantity: str = "temperature") -> list[tuple[int, float]]:
    """Minutes since that reading of long ago, and values."""
    with store.read() as connection:
        assert damaged_pages(connection) == []
        (one,) = [one for one in load_site(connection).series if one.quantity.slug == quantity]
        found = read_raw_range(connection, one.id, 0, 2**62)
    minutes = (found.time_us - LONG_AGO_US) // MINUTE_US
    return list(zip(minutes.tolist(), found.value.round(3).tolist(), strict=True))


def _import(store: Store, *words: str) -> tuple[int, str, str]:
    done = rook_tally("--store", store.url, "import", *words)
    return done.returncode, done.stdout, done.stderr


def test_a_dry_run_says_what_it_would_do_and_does_nothing(
    store: Store, series: Series, tmp_path: Path
) -> None:
    file = tmp_path / "shed.csv"
    file.write_text("time,temp [°F],note\n2026-11-03T12:01:00Z,68,dry\n2026-11-03T12:02:00Z,x,\n")
    before = _values(store)
    code, told, wrong = _import(store, str(file), "--station", "wall", "--dry-run")
    assert code == 0
    assert told.splitlines() == [
        "temp [°F]: Temperature, 1 readings from 2026-11-03T12:01 to 2026-11-03T12:01, "
        "20.0 to 20.0 °C; 1 of them new",
        "nothing was written (a dry run)",
    ]
    beside = tmp_path / "shed.refused.csv"
    assert wrong == f"line 3: 'x' is not a number\nall 1 are listed in {beside}\n"
    assert beside.read_text().splitlines()[1].startswith("3,'x' is not a number,")
    assert _values(store) == before


def test_brought_in_and_taken_back_also_after_sealing(
    store: Store, series: Series, tmp_path: Path
) -> None:
    """Semicolons, decimal commas, days first, local time; what is there already stays."""
    file = tmp_path / "loft.csv"
    rows = ["Datum;Luft", "3.11.2026 12:00;99,5", "3.11.2026 12:01;20,5", "03/11/2026 12:03;21,25"]
    file.write_text("\n".join(rows))
    before = _values(store)
    words = (str(file), "--station", "wall", "--time", "Datum", "--map", "Luft=temperature")
    code, _, wrong = _import(store, *words)
    assert (code, "03 November 2026 (day-first) or 11 March 2026" in wrong) == (2, True)
    code, told, _ = _import(store, *words, "--dates", "day-first")
    assert (code, told.splitlines()[-1]) == (
        0,
        "2 readings; take them back with rook-tally import --undo 1",
    )
    assert _values(store) == [(0, 20.0), (1, 20.5), (3, 21.25), before[-1]]
    assert "2 readings  loft.csv" in _import(store, "--list")[1]
    seal_all(store, {series.id: series}, now_us=NOON_US)
    assert _import(store, "--undo", "1")[1] == "2 readings were taken back\n"
    assert _values(store) == before
    assert _import(store, "--list")[1] == ""


def test_a_new_series_is_begun_for_a_new_quantity(
    store: Store, series: Series, tmp_path: Path
) -> None:
    file = tmp_path / "both.csv"
    file.write_text("timestamp,humidity [%],pressure_pa\n1793707260,50,101325\n")
    code, _, wrong = _import(store, str(file), "--station", "wall")
    assert code == 0, wrong
    assert [value for _, value in _values(store, "humidity")] == [50.0]
    assert [value for _, value in _values(store, "pressure")] == [1013.25]


@pytest.mark.parametrize(
    ("text", "words", "why"),
    [
        ("a,b\n1,2\n", (), "has no column time or timestamp"),
        ("time,b\n", (), "holds no rows"),
        ("time,zorp\n1,2\n", (), "no column's name says what it measures"),
        ("time,t\n1,2\n", ("--map", "x=temperature"), "there is no column 'x'; columns: time, t"),
        ("time,t\n1,2\n", ("--zone", "Mars/Olympus"), "there is no time zone"),
        ('time,t\n1,"2\n', (), "is no CSV"),
    ],
)
def test_files_that_cannot_be_read(
    store: Store, series: Series, tmp_path: Path, text: str, words: tuple[str, ...], why: str
) -> None:
    file = tmp_path / "bad.csv"
    file.write_text(text)
    code, _, wrong = _import(store, str(file), "--station", "wall", *words)
    assert code == 2
    assert why in wrong


def test_what_is_asked_for_has_to_be_there(store: Store, series: Series) -> None:
    assert "there is no import 9" in _import(store, "--undo", "9")[2]
    assert "what is to be read?" in _import(store)[2]
    assert "cannot be read 'backwards'" in _import(store, "f.csv", "--dates", "backwards")[2]
    assert "cannot be read" in _import(store, "/nowhere.csv", "--station", "wall")[2]


def test_a_dry_run_does_not_hide_what_is_suspect_and_shows_both_readings_of_a_date(
    store: Store, series: Series, tmp_path: Path
) -> None:
    file = tmp_path / "loft.csv"
    file.write_text("time,temp_c\n03/11/2026 12:01,20\n03/11/2026 12:02,900\n03/11/2026 12:03,21\n")
    code, told, wrong = _import(store, str(file), "--station", "wall", "--dry-run")
    assert code == 0
    assert "20.0 to 21.0 °C; 1 suspect, 900.0; 3 of them new" in told
    assert "03 November 2026 (day-first) or 11 March 2026 (month-first)" in wrong
