"""A store on a disk that cannot be written: it can be looked at."""

from __future__ import annotations

import contextlib
import os
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest

from rook_tally.core.errors import StoreError
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import latest
from tests.builders import NOON_US, append, begin_series
from tests.desks import Desk
from tests.processes import rook_tally, wait_until


@pytest.fixture
def engine() -> str:
    return "sqlite"


@pytest.fixture
def read_only(tmp_path: Path) -> Iterator[Path]:
    """A store on a read-only disk: a mounted one where we may mount, else by its rights."""
    folder = tmp_path / "disk"
    folder.mkdir()
    mount = ["mount", "-t", "tmpfs", "-o", "size=12m", "tmpfs", str(folder)]
    is_mounted = os.geteuid() == 0 and not subprocess.run(mount, check=False).returncode
    if os.geteuid() == 0 and not is_mounted:
        pytest.skip("nothing is read-only for root where it may not mount")
    place = folder / "site.db"
    with contextlib.closing(open_store(place)) as store:
        append(store, begin_series(store), (NOON_US, 21.5))
    if is_mounted:
        subprocess.run(["mount", "-o", "remount,ro", str(folder)], check=True)
    else:
        place.chmod(0o400)
        folder.chmod(0o500)
    yield place
    if is_mounted:
        subprocess.run(["umount", str(folder)], check=True)
    else:
        folder.chmod(0o700)


def test_it_is_read_and_says_why_it_is_not_written(read_only: Path) -> None:
    with contextlib.closing(open_store(read_only)) as store:
        assert store.is_read_only
        with store.read() as connection:
            assert [one.value for one in latest(connection).values()] == [21.5]
        with pytest.raises(StoreError, match="can only be read"), store.write():
            pass
    assert sorted(one.name for one in read_only.parent.iterdir()) == ["site.db"]


def test_the_commands_and_the_window_that_look_open_it(read_only: Path) -> None:
    where = ("--store", str(read_only))
    assert "21.5" in rook_tally(*where, "latest").stdout
    assert "21.5" in rook_tally(*where, "export").stdout
    done = rook_tally(*where, "station", "add", "b", "--place", "Yard")
    assert (done.returncode, "can only be read" in done.stderr) == (1, True)
    with contextlib.closing(open_store(read_only)) as store, Desk(store) as desk:
        wait_until(lambda: 21.5 in desk.values())
