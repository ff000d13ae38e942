"""The whole path with a PostgreSQL store, named by its URL."""

from __future__ import annotations

from pathlib import Path

from tests.postgres import cluster
from tests.processes import CollectorProcess, rook_tally, wait_until


def test_a_reading_goes_in_and_comes_out_again(tmp_path: Path) -> None:
    with cluster() as server:
        url = server.new_database()
        with CollectorProcess(tmp_path / "scratch", store_url=url) as collector:
            collector.add_station("a", kind="climate")
            assert collector.post('{"temp": 21.5}', query="?station=a")[1]["kept"] == 1
            collector.publish("a", '{"rh": 55}')
            wait_until(lambda: len(collector.latest()) == 2)
            exported = rook_tally("--store", url, "export", "--quantity", "temperature").stdout
            assert exported.splitlines()[1].endswith(",a,temp,temperature,21.5,°C,good")
            assert collector.stop() == 0
        assert rook_tally("--store", url, "check").returncode == 0
        refused = rook_tally("--store", url, "backup", str(tmp_path / "copy.db"))
        assert refused.returncode == 1
        assert "use the server's own tools" in refused.stderr
