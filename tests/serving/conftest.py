"""A pottery of two rooms with known readings, served by a real collector."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from rook_tally.store.maintenance import open_store
from rook_tally.store.site import set_site
from rook_tally.store.site.read_keys import ReadScope, add_read_key
from tests.bench.air_of_rooms import START_US, keep, moments
from tests.processes import CollectorProcess


class Served:
    """The collector, and keys by what they may read."""

    def __init__(self, process: CollectorProcess, keys: dict[str, str]) -> None:
        self.process, self.keys = process, keys


@pytest.fixture(scope="module")
def served(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Served]:
    path = Path(tmp_path_factory.mktemp("served")) / "site.db"
    store = open_store(path)
    with store.write() as connection:
        set_site(connection, name="Pottery", zone="UTC")
    time_us = moments(4)
    ramp = 400.0 + np.arange(len(time_us), dtype=np.float64)
    keep(store, "booth", time_us, ramp, place="Glaze booth")
    keep(store, "booth", time_us, np.full(len(time_us), 5.0), quantity="pm25", place="Glaze booth")
    keep(store, "shelf", time_us, ramp + 1000, place="Shop")
    with store.write() as connection:
        keys = {
            name: add_read_key(connection, name, scope, who="wren", now_us=START_US)
            for name, scope in (("all", ReadScope()), ("shop", ReadScope(places=("Shop",))))
        }
    store.close()
    with CollectorProcess(path) as process:
        yield Served(process, keys)
