"""Daily copies: made once a day, dropped in their time, and seen to fail."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from rook_tally.collector.backups import back_up_if_due
from rook_tally.core.alarms.journal import JournalKind
from rook_tally.core.timestamps import DAY_US, HOUR_US, time_us_from_datetime
from rook_tally.store.alarms import journal
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.maintenance.backup_schedule import (
    BackupSchedule,
    last_backup,
    set_backup_schedule,
)
from rook_tally.store.site import set_site
from tests.builders import append, begin_series
from tests.processes import CollectorProcess, rook_tally, wait_until

NOW_US = time_us_from_datetime(datetime(2026, 12, 31, 12, tzinfo=UTC))


def _schedule(store: Store, folder: Path) -> None:
    with store.write() as connection:
        set_backup_schedule(connection, BackupSchedule(str(folder)))


def _words(store: Store) -> list[str]:
    with store.read() as connection:
        return [one.words for one in journal(connection, sorts=[JournalKind.DUTY])]


def test_one_a_day_which_can_be_opened(store: Store, tmp_path: Path) -> None:
    append(store, begin_series(store), (NOW_US - HOUR_US, 20.0))
    back_up_if_due(store, NOW_US)
    assert not list(tmp_path.glob("copies/*"))
    _schedule(store, tmp_path / "copies")
    for _ in range(3):
        back_up_if_due(store, NOW_US)
    (copy,) = (tmp_path / "copies").iterdir()
    assert copy.name == "site-2026-12-31.db"
    again = open_store(copy, create=False)
    again.close()
    back_up_if_due(store, NOW_US + DAY_US)
    assert len(list((tmp_path / "copies").glob("*.db"))) == 2
    with store.read() as connection:
        assert last_backup(connection).made_us == NOW_US + DAY_US


def test_from_an_hour_of_the_sites_clock_on(store: Store, tmp_path: Path) -> None:
    append(store, begin_series(store), (NOW_US - HOUR_US, 20.0))
    with store.write() as connection:
        # UTC+13: noon in London is one in the morning there.
        set_site(connection, name="Quay", zone="Pacific/Auckland")
        set_backup_schedule(connection, BackupSchedule(str(tmp_path / "copies"), from_hour=3))

    def made() -> list[str]:
        return sorted(one.name for one in (tmp_path / "copies").glob("*.db"))

    # There is none yet: not put off.
    back_up_if_due(store, NOW_US - DAY_US)
    assert made() == ["site-2026-12-31.db"]
    back_up_if_due(store, NOW_US + HOUR_US)
    assert len(made()) == 1
    back_up_if_due(store, NOW_US + 2 * HOUR_US)
    assert made() == ["site-2026-12-31.db", "site-2027-01-01.db"]


def test_old_ones_go_and_nothing_else_in_the_folder(store: Store, tmp_path: Path) -> None:
    folder = tmp_path / "copies"
    folder.mkdir()
    for at in range(1, 400):
        day = (datetime(2026, 12, 31, tzinfo=UTC) - timedelta(days=at)).date()
        (folder / f"site-{day}.db").touch()
    for name in ("site-2020-01-01.db.mine", "other-2020-01-01.db", "photo.jpg"):
        (folder / name).touch()
    _schedule(store, folder)
    back_up_if_due(store, NOW_US)
    left = {one.name for one in folder.iterdir()}
    assert {"site-2020-01-01.db.mine", "other-2020-01-01.db", "photo.jpg"} <= left
    assert len(left) - 3 <= 7 + 4 + 12
    assert {"site-2026-12-31.db", "site-2026-12-25.db", "site-2026-11-30.db"} <= left


def test_one_that_fails_is_journalled_once_and_tried_every_hour(
    store: Store, tmp_path: Path
) -> None:
    (tmp_path / "copies").write_text("no folder")
    _schedule(store, tmp_path / "copies")
    for at in range(5):
        back_up_if_due(store, NOW_US + at * HOUR_US // 2)
    assert [one for one in _words(store) if "failed" in one] == _words(store)
    assert len(_words(store)) == 1
    with store.read() as connection:
        last = last_backup(connection)
    assert (last.made_us, last.tried_us) == (0, NOW_US + 2 * HOUR_US)
    (tmp_path / "copies").unlink()
    back_up_if_due(store, NOW_US + 4 * HOUR_US)
    assert _words(store)[0] == "works again: site-2026-12-31.db"
    with store.read() as connection:
        assert last_backup(connection).trouble == ""


def test_by_command_and_a_real_collector(store_path: Path, tmp_path: Path) -> None:
    folder = tmp_path / "copies"
    with CollectorProcess(store_path, broker="off") as collector:
        collector.add_station("a")
        words = ("--store", str(store_path), "backup")
        assert "no daily copies are made" in rook_tally(*words).stdout
        done = rook_tally(*words, "--daily", str(folder))
        assert "a copy a day into" in done.stdout, done.stderr
        wait_until(lambda: list(folder.glob("site-*.db")), within_s=60)
        wait_until(lambda: "the last one" in rook_tally(*words).stdout)
        assert "no daily copies" in rook_tally(*words, "--daily", "off").stdout


@pytest.mark.parametrize("folder", ["/dev/null/copies"])
def test_a_folder_that_cannot_be(store: Store, folder: str) -> None:
    done = rook_tally("--store", store.url, "backup", "--daily", folder)
    assert (done.returncode, "cannot be written" in done.stderr) == (2, True)
