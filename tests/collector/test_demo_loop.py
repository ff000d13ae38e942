"""The loop closes: dust runs the extractor, which clears it, by a real collector and broker."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest
from msgspec.structs import replace

from rook_tally import clock
from rook_tally.core.alarms.definitions import RunControl
from rook_tally.core.alarms.journal import JournalKind
from rook_tally.core.site_file.reading import site_from_toml
from rook_tally.demo.pottery import site_text
from rook_tally.store.alarms import journal, purpose_of, save_watch, standing
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.readings import latest
from rook_tally.store.site import load_site, newest_requests
from rook_tally.store.site_file.importing import put_content
from tests.processes import CollectorProcess, wait_until

_PACE = "20"
# Nobody sprays on a Sunday night: the only dust is the loop's, whatever time it is.
_A_QUIET_NIGHT = "2026-11-22T03:00+00:00"


@pytest.fixture
def pottery(store_path: Path) -> Iterator[Store]:
    """The demo's site, collector and stations on a quiet night, its air at twenty times its pace
    and its dust watch without its delays."""
    store = open_store(store_path)
    now_us = clock.now_us()
    content = site_from_toml(site_text())
    dust = next(one for one in content.watches or () if one.slug == "glaze-dust")
    run = RunControl(station="glaze-extractor", control="on", at_least_s=1, at_most_s=600)
    with store.write() as connection:
        put_content(connection, content, who="potter", now_us=now_us)
        save_watch(connection, replace(dust, for_s=0, calm_s=0, tell=(), run=run), now_us=now_us)
    with CollectorProcess(store_path) as collector:
        stations = subprocess.Popen(
            [
                sys.executable,
                "-m",
                "rook_tally.demo.live",
                "--http",
                collector.ready["http"],
                "--mqtt",
                str(collector.ready["mqtt"]),
                "--pace",
                _PACE,
                "--as-at",
                _A_QUIET_NIGHT,
            ],
            stdout=subprocess.DEVNULL,
        )
        yield store
        stations.terminate()
        assert stations.wait(30) == 0
    store.close()


def test_dust_runs_the_extractor_which_clears_the_dust(pottery: Store) -> None:
    def happened() -> list[JournalKind]:
        with pottery.read() as connection:
            return [one.sort for one in journal(connection, watch="glaze-dust")][::-1]

    with pottery.read() as connection:
        site = load_site(connection)
    series = {(one.station.key, one.field): one.id for one in site.series}

    def value(station: str, field: str) -> float:
        with pottery.read() as connection:
            return latest(connection)[series[station, field]].value

    wait_until(lambda: JournalKind.RANG in happened(), within_s=60)
    wait_until(lambda: JournalKind.CLEARED in happened(), within_s=60)
    wait_until(lambda: JournalKind.STOPPED in happened(), within_s=60)
    assert value("glaze-dust", "pm25") < 18
    told = happened()
    for before, after in (
        (JournalKind.RANG, JournalKind.ASKED),
        (JournalKind.ASKED, JournalKind.CONFIRMED),
        (JournalKind.CONFIRMED, JournalKind.CLEARED),
        (JournalKind.CLEARED, JournalKind.STOPPED),
    ):
        assert told.index(before) < told.index(after)
    with pottery.read() as connection:
        asked = newest_requests(connection, "glaze-extractor")
        assert {one.who for one in asked} == {purpose_of("glaze-dust")}
        assert [one.watch for one in standing(connection) if one.watch == "glaze-dust"] != []
