"""The site's name and zone by command, and what follows from the zone."""

from __future__ import annotations

import json
from pathlib import Path

from rook_tally.core.moment_words import ClockStyle, DateStyle
from rook_tally.core.site_settings import DecimalMark, SiteSettings
from rook_tally.core.timestamps import HOUR_US, time_us_from_text
from rook_tally.store.base import Store
from rook_tally.store.site import load_site
from tests.builders import append, begin_series
from tests.processes import rook_tally


def test_a_site_is_named_and_put_into_its_zone_and_exports_follow(store: Store) -> None:
    series = begin_series(store)
    first = time_us_from_text("2026-08-11T00:00:00Z")
    append(store, series, *((first + hour * HOUR_US, float(hour)) for hour in range(72)))
    done = rook_tally("--store", store.url, "site", "set", "--zone", "Mars/Olympus")
    assert (done.returncode, "there is no time zone" in done.stderr) == (2, True)
    done = rook_tally(
        "--store", store.url, "site", "set", "--name", "Quay", "--zone", "America/Los_Angeles"
    )
    assert done.stdout.startswith(
        "Quay, times in America/Los_Angeles, access keys from everybody once"
    )
    told = rook_tally("--store", store.url, "site", "--json").stdout
    assert json.loads(told) == {
        "name": "Quay",
        "zone": "America/Los_Angeles",
        "latitude": None,
        "longitude": None,
        "height_m": None,
        "quiet": None,
        "week_begins": "monday",
        "decimals": "the desktop's",
        "dates": "day first",
        "clocks": "24 hours",
        "language": "",
        "times": "microsecond",
        "units": {},
        "keys": "by-door",
        "passwords": "desktop",
    }
    with store.read() as connection:
        assert load_site(connection).name == "Quay"
    rows = rook_tally(
        "--store", store.url, "export", "--from", "2026-08-12", "--to", "2026-08-13"
    ).stdout.splitlines()
    # A day of theirs begins at seven in the morning, UTC.
    assert rows[1].startswith("2026-08-12T07:00:00")
    assert (rows[-1][:19], len(rows)) == ("2026-08-13T06:00:00", 25)
    told = rook_tally("--store", store.url, "latest", "--json").stdout
    assert json.loads(told)[0]["field"] == series.field


def test_position_height_and_quiet_hours_are_set_and_taken_back(store: Store) -> None:
    def run(*words: str) -> tuple[int, str]:
        done = rook_tally("--store", store.url, "site", "set", *words)
        return done.returncode, done.stderr or done.stdout

    assert run("--position", "50.35,-4.14", "--height", "12", "--quiet", "22:00-06:00")[0] == 0
    for words, why in (
        (("--position", "91,0"), "91, 0 is nowhere on Earth"),
        (("--position", "here"), "'here' is no position"),
        (("--position", "nan,0"), "'nan,0' is no position"),
        (("--height", "nan"), "no site lies nan m above the sea"),
        (("--quiet", "at night"), "are no hours"),
    ):
        code, told = run(*words)
        assert (code, why in told) == (2, True), told
    told = json.loads(rook_tally("--store", store.url, "site", "--json").stdout)
    assert (told["latitude"], told["longitude"], told["height_m"]) == (50.35, -4.14, 12.0)
    assert told["quiet"] == "22:00–06:00"
    assert run("--position", "", "--quiet", "always")[0] == 0
    with store.read() as connection:
        assert load_site(connection).settings == SiteSettings(height_m=12.0)
    rook_tally("--store", store.url, "changes", "undo", "2")
    with store.read() as connection:
        assert load_site(connection).settings.latitude == 50.35


def test_how_windows_write_is_set(store: Store) -> None:
    style = ("--decimals", "comma", "--dates", "month first", "--clocks", "12 hours")
    done = rook_tally("--store", store.url, "site", "set", *style, "--language", "pt_BR")
    assert done.returncode == 0, done.stderr
    with store.read() as connection:
        told = load_site(connection).settings
    assert (told.decimals, told.dates) == (DecimalMark.COMMA, DateStyle.MONTH_FIRST)
    assert (told.clocks, told.language) == (ClockStyle.HOURS_12, "pt_BR")
    wrong = rook_tally("--store", store.url, "site", "set", "--language", "Klingon!")
    assert (wrong.returncode, "is no language" in wrong.stderr) == (2, True)
    shown = rook_tally("--store", store.url, "site").stdout
    assert "decimals with a comma, dates with the month first, clocks of 12 hours, pt_BR" in shown
    exported = rook_tally("--store", store.url, "site", "export").stdout
    assert 'dates = "month first"' in exported


def test_times_are_kept_to_the_millisecond_where_that_is_set(store: Store) -> None:
    done = rook_tally("--store", store.url, "site", "set", "--times", "millisecond")
    assert "times of readings are kept to the millisecond" in done.stdout
    exported = rook_tally("--store", store.url, "site", "export").stdout
    assert 'times = "millisecond"' in exported
    rook_tally("--store", store.url, "changes", "undo", "1")
    with store.read() as connection:
        assert load_site(connection).settings == SiteSettings()


def test_units_are_set_by_system_and_taken_back(store: Store) -> None:
    begin_series(store)
    begin_series(store, "wind_speed")
    for system, wanted in (("us", {"°F", "mph"}), ("uk", {"°C", "mph"}), ("si", {"°C", "m/s"})):
        done = rook_tally("--store", store.url, "site", "set", "--units", system)
        assert done.returncode == 0, done.stderr
        with store.read() as connection:
            assert {one.shown.symbol for one in load_site(connection).series} == wanted
    assert rook_tally("--store", store.url, "changes", "undo", "3").returncode == 0
    with store.read() as connection:
        assert {one.shown.symbol for one in load_site(connection).series} == {"°C", "mph"}


def test_settings_are_listed_set_taken_back_and_refused(store: Store, tmp_path: Path) -> None:
    def run(*words: str) -> tuple[int, str]:
        done = rook_tally("--store", store.url, *words)
        return done.returncode, done.stdout + done.stderr

    copies = tmp_path / "copies"
    assert run("setting", "set", "backup_folder", str(copies))[0] == 0
    assert run("setting", "set", "backup_daily", "3")[0] == 0
    assert run("setting", "set", "strays_mb", "20")[0] == 0
    assert run("setting", "set", "thin_after_days", "400")[0] == 0
    told = json.loads(run("setting", "list", "--json")[1])
    assert (told["backup_folder"], told["backup_daily"]) == (str(copies), 3.0)
    assert (told["strays_mb"], told["thin_after_days"], told["keys"]) == (20.0, 400.0, "by-door")
    assert "strays_mb = 20" in run("site", "export", "--only", "settings")[1]
    for words, why in (
        (("colour", "red"), "there is no setting 'colour'"),
        (("strays_days", "soon"), "strays_days cannot be 'soon'"),
        (("backup_weekly", "1.5"), "backup_weekly cannot be '1.5'"),
        (("thin_after_days", "nan"), "thin_after_days cannot be 'nan'"),
        (("keys", "nobody"), "keys cannot be 'nobody'"),
    ):
        code, said = run("setting", "set", *words)
        assert (code, why in said) == (2, True), said
    assert run("changes", "undo", "4")[0] == 0
    assert json.loads(run("setting", "list", "--json")[1])["thin_after_days"] == "never"
