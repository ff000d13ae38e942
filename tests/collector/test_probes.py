"""Probes through the whole collector: found, taken in, gone and back."""

from __future__ import annotations

import shutil
from pathlib import Path

from tests.collector.test_broker import door_detail
from tests.intake.test_probes import IIO, SHELF, tree
from tests.processes import CollectorProcess, rook_tally, wait_until


def test_a_probe_becomes_a_station_and_comes_back(
    collector: CollectorProcess, tmp_path: Path
) -> None:
    root = tree(tmp_path / "sys", SHELF)
    told = rook_tally("probes", "--root", str(root))
    assert "iio-bme280" in told.stdout and "21.437 °C" in told.stdout
    done = rook_tally(
        "--store", collector.address, "door", "add", "probes", "--every", "0.2", "--root", str(root)
    )
    assert done.returncode == 0, done.stderr

    def run(*words: str) -> str:
        done = rook_tally("--store", collector.address, *words)
        assert done.returncode == 0, done.stderr
        return done.stdout

    wait_until(lambda: "iio-bme280" in run("strays"))
    run("take-in", "iio-bme280", "--place", "Shed")

    def newest() -> dict[str, float]:
        return {row["quantity"]: round(row["value"], 3) for row in collector.latest()}

    wait_until(lambda: newest() == {"temperature": 21.437, "humidity": 48.21, "pressure": 1013.25})
    (root / IIO / "in_temp_input").write_text("inf\n")
    wait_until(lambda: "is no reading" in door_detail(collector, "probes"))
    shutil.rmtree(root / IIO)
    wait_until(lambda: door_detail(collector, "probes") != "")
    tree(root, SHELF | {f"{IIO}/in_temp_input": "22000"})
    wait_until(lambda: newest()["temperature"] == 22.0)
    # The same door again is refused, and it is said how it was set up.
    assert "probes" in run("door", "list")
