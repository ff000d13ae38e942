"""What a collector finds on its machine is in the store for the desks, and goes when it is gone."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

from rook_tally.collector import in_reach as looking
from rook_tally.core.in_reach import Reachable, ReachSort
from rook_tally.intake.doors.port_names import PortHere
from rook_tally.store.base import Store
from rook_tally.store.base.changes import newest_seq
from rook_tally.store.site.in_reach import in_reach
from tests.intake.test_probes import IIO, SHELF, tree


def test_ports_and_probes_come_and_go(
    store: Store, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    # A port that nothing is plugged into is none of anybody's.
    ports = [PortHere("/dev/ttyACM0", "Board"), PortHere("/dev/ttyS0", "")]
    monkeypatch.setattr(looking, "ports_here", lambda: ports)
    root = tree(tmp_path, SHELF)
    looking.look(store, root)

    def told() -> tuple[tuple[Reachable, ...], int]:
        with store.read() as connection:
            return in_reach(connection), newest_seq(connection)

    found, seq = told()
    assert found == (
        Reachable(ReachSort.PORT, "/dev/ttyACM0", "Board"),
        Reachable(ReachSort.PROBE, "iio-bme280", "48.21 %, 101.325 kPa, 21.437 °C"),
    )
    # Nothing is written as long as nothing came or went.
    (root / IIO / "in_temp_input").write_text("22000")
    looking.look(store, root)
    assert told()[1] == seq
    ports.clear()
    shutil.rmtree(root / IIO)
    looking.look(store, root)
    assert told()[0] == ()
    looking.look(store, Path("/nowhere"))
