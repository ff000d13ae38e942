"""A Modbus device by commands alone: its kind, its station, the door; refused, gone and back."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from tests.collector.test_broker import door_detail
from tests.collector.test_http_reach import door_states
from tests.collector.test_mqtt_link import _answers, free_port
from tests.processes import CollectorProcess, rook_tally, wait_until

KIND = """
slug = "meter"
name = "meter"
cadence_s = 1
[[field]]
name = "power"
quantity = "power"
unit = "W"
[[register]]
name = "power"
at = 10
scale = 0.1
"""
_SERVER = """
import asyncio, sys
from pymodbus.server import StartAsyncTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice

value = SimData(10, values=int(sys.argv[2]), datatype=DataType.UINT16)
where = "127.0.0.1", int(sys.argv[1])
asyncio.run(StartAsyncTcpServer(SimDevice(7, simdata=[value]), address=where))
"""


@contextmanager
def device(port: int, tenths: int) -> Iterator[None]:
    """A device of its own process, until the end of the context."""
    words = [sys.executable, "-c", _SERVER, str(port), str(tenths)]
    with subprocess.Popen(words) as process:
        wait_until(lambda: _answers(port))
        try:
            yield
        finally:
            process.terminate()


def test_a_meter_is_read_by_commands_alone(collector: CollectorProcess, tmp_path: Path) -> None:
    port = free_port()
    (tmp_path / "meter.toml").write_text(KIND)

    def run(*words: str) -> str:
        done = rook_tally("--store", collector.address, *words)
        assert done.returncode == 0, done.stderr
        return done.stdout

    add = [
        *["door", "add", "modbus", "--station", "hall-meter", "--unit", "7", "--every", "0.2"],
        f"127.0.0.1:{port}",
    ]
    refused = rook_tally("--store", collector.address, *add)
    assert refused.returncode != 0
    assert "no station of a kind with registers" in refused.stderr
    run("kind", "read", str(tmp_path / "meter.toml"))
    collector.add_station("hall-meter", kind="meter")

    def newest() -> float | None:
        return next((round(row["value"], 6) for row in collector.latest()), None)

    with device(port, 2305):
        assert "power = 230.5" in run(*add, "--try")
        # What stands in its registers is seen before a kind says which.
        asked = ("registers", f"127.0.0.1:{port}", "--unit", "7", "--at", "10", "--count", "1")
        assert run(*asked).splitlines()[1].split()[:4] == ["10", "0901", "2305", "2305"]
        wrong = rook_tally(*asked, "--table", "shelf")
        assert "is no table" in wrong.stderr
        run(*add)
        wait_until(lambda: newest() == 230.5)
    # One that goes away in the middle of an answer is at first a device that does not answer.
    wait_until(lambda: "cannot be reached" in door_detail(collector, "modbus hall-meter"))
    assert door_states(collector)["modbus hall-meter"][0] == "trying"
    with device(port, 1200):
        wait_until(lambda: newest() == 120.0)
        # Registers are followed while the door is open.
        (tmp_path / "meter.toml").write_text(KIND.replace("at = 10", "at = 99"))
        run("kind", "read", str(tmp_path / "meter.toml"))
        wait_until(lambda: "no such register" in door_detail(collector, "modbus hall-meter"))
    assert f"modbus 127.0.0.1:{port} --station hall-meter" in run("door", "list")
