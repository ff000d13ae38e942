"""The serial door over a pseudo-terminal pair made by socat: lines in, readings out."""

from __future__ import annotations

import asyncio
import os
import subprocess
from collections.abc import Callable, Iterator
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest
from msgspec.structs import replace

from rook_tally.collector.door_supervisor import DoorSupervisor
from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.kind_files import kind_from_toml
from rook_tally.core.quantities.kinds import PLAIN
from rook_tally.intake.doors.port_names import serial_port_from
from rook_tally.store.base import Store
from rook_tally.store.site import SerialSetting, add_station, keep_kind, load_site
from rook_tally.store.site.station_settings import settle_station
from tests.intake.test_frames import frame
from tests.processes import PATIENCE_S, CollectorProcess, rook_tally, wait_until


class Cable:
    """Two ends that are joined for as long as the cable is plugged in."""

    def __init__(self, folder: Path) -> None:
        self.port, self.far = folder / "ttyTEST0", folder / "far"
        self._process: subprocess.Popen[bytes] | None = None

    def plug_in(self) -> None:
        ends = [f"PTY,link={end},raw,echo=0" for end in (self.port, self.far)]
        self._process = subprocess.Popen(["socat", *ends])
        wait_until(lambda: self.port.exists() and self.far.exists())

    def pull(self) -> None:
        if self._process is not None:
            self._process.terminate()
            self._process.wait(10)
            self._process = None

    def send(self, text: bytes) -> None:
        end = os.open(self.far, os.O_WRONLY | os.O_NOCTTY)
        os.write(end, text)
        os.close(end)


@pytest.fixture
def cable(tmp_path: Path) -> Iterator[Cable]:
    made = Cable(tmp_path)
    yield made
    made.pull()


def _fates(collector: CollectorProcess) -> list[str]:
    done = rook_tally("--store", collector.address, "tape", "-n", "50")
    return [line.partition(" → ")[2] for line in done.stdout.splitlines()]


def test_lines_of_every_form_and_a_port_that_goes_and_comes(store_path: Path, cable: Cable) -> None:
    with CollectorProcess(store_path, words=("--serial", f"{cable.port}:9600=kiln")) as collector:
        collector.add_station("kiln", kind="climate")
        wait_until(lambda: "is not there; plug it in" in collector.log.read_text())
        cable.plug_in()
        wait_until(lambda: _doors_open(collector) == 1)
        cable.send(b'{"temp": 21.5}\r\ntemp=22.5 rh=55%\ntemp,rh\n23.5,56\n24.5,57\nhello\n{"te')
        wait_until(lambda: len(_fates(collector)) == 5)
        assert _fates(collector)[:4] == ["1 kept", "2 kept", "2 kept", "2 kept"]
        assert "neither JSON nor CSV" in _fates(collector)[4] or "not JSON" in _fates(collector)[4]
        cable.pull()
        wait_until(lambda: collector.log.read_text().count("state='trying'") >= 2)
        cable.plug_in()
        wait_until(lambda: _doors_open(collector) == 2)
        cable.send(b"temp=25.5\n")
        wait_until(lambda: _fates(collector)[-1] == "1 kept")
        assert {row["quantity"]: row["value"] for row in collector.latest()} == {
            "temperature": 25.5,
            "humidity": 57.0,
        }


def _doors_open(collector: CollectorProcess) -> int:
    lines = collector.log.read_text().splitlines()
    return sum("serial" in line and "state='open'" in line for line in lines)


def test_a_line_without_end_is_bounded_and_nothing_after_it_is_lost(
    store_path: Path, cable: Cable
) -> None:
    cable.plug_in()
    with CollectorProcess(store_path, words=("--serial", str(cable.port))) as collector:
        collector.add_station("serial-ttyTEST0", kind="climate")
        wait_until(lambda: _doors_open(collector) == 1)
        for _ in range(60):
            cable.send(b"x" * 1000)
        cable.send(b"\ntemp=21.5\n")
        wait_until(lambda: _fates(collector)[-1:] == ["1 kept"])
        sizes = [len(fate) for fate in _fates(collector)]
        assert len(sizes) <= 3


@pytest.mark.parametrize(
    ("text", "port"),
    [
        ("/dev/ttyUSB0", SerialSetting("/dev/ttyUSB0", 115_200, "serial-ttyUSB0")),
        ("/dev/ttyUSB0:9600", SerialSetting("/dev/ttyUSB0", 9600, "serial-ttyUSB0")),
        ("/dev/ttyUSB0:9600=kiln", SerialSetting("/dev/ttyUSB0", 9600, "kiln")),
    ],
)
def test_ports_as_a_person_names_them(text: str, port: SerialSetting) -> None:
    assert serial_port_from(text) == port


@pytest.mark.parametrize("text", ["COM1", "/dev/tty:fast", "", "/dev/tty:9600="])
def test_what_is_no_port(text: str) -> None:
    with pytest.raises(UsageError, match="is no serial port"):
        serial_port_from(text)


def test_a_control_goes_out_by_the_port_its_station_is_heard_by(
    store_path: Path, cable: Cable
) -> None:
    cable.plug_in()
    words = ("--serial", f"{cable.port}=fan")
    with CollectorProcess(store_path, broker="off", words=words) as collector:
        collector.add_station("fan", kind="switch")
        # What is sent before a port is opened is nobody's.
        wait_until(lambda: _doors_open(collector) == 1)
        cable.send(b"on=off\n")
        wait_until(lambda: len(collector.latest()) == 1)
        far = os.open(cable.far, os.O_RDWR | os.O_NOCTTY)
        try:
            asking = rook_tally(
                "--store", collector.address, "control", "fan", "on", "on", "--no-wait"
            )
            assert asking.returncode == 0, asking.stderr
            assert os.read(far, 100) == b"set on on\n"
            os.write(far, b"controls.on=on\n")
        finally:
            os.close(far)
        shown = ("--store", collector.address, "control", "fan", "--json")
        wait_until(lambda: '"state":"confirmed"' in rook_tally(*shown).stdout)


PROBE = """
slug = "bed-probe"
name = "bed probe"
cadence_s = 1
[[field]]
name = "temp"
quantity = "temperature"
unit = "°C"
[layout]
begins = "42"
check = "crc8"
[[layout.field]]
name = "temp"
at = 1
type = "i16"
scale = 0.01
"""


def test_messages_of_bytes_by_the_kind_of_the_ports_station(
    store_path: Path, cable: Cable, tmp_path: Path
) -> None:
    cable.plug_in()
    (tmp_path / "probe.toml").write_text(PROBE)
    for words in (
        ("kind", "read", str(tmp_path / "probe.toml")),
        ("station", "add", "bed", "--place", "Bed", "--kind", "bed-probe"),
    ):
        done = rook_tally("--store", str(store_path), *words)
        assert done.returncode == 0, done.stderr
    with CollectorProcess(
        store_path, broker="off", words=("--serial", f"{cable.port}=bed")
    ) as collector:
        wait_until(lambda: _doors_open(collector) == 1)
        cable.send(b"\x00\n" + frame(1150)[:3])
        cable.send(frame(1150)[3:] + b"noise" + frame(1200) + frame(1210)[:2])
        cable.send(frame(1220))
        wait_until(lambda: len(collector.latest()) == 1 and _fates(collector).count("1 kept") == 3)
        assert collector.latest()[0]["value"] == 12.2
        cable.send(b"warm and dry " * 20)
        wait_until(lambda: "it begins with" in _fates(collector)[-1])


async def test_a_port_is_opened_anew_once_its_stations_bytes_are_laid_out_otherwise(
    store: Store, tmp_path: Path
) -> None:
    told: list[str] = []
    presence: Any = SimpleNamespace(
        report=lambda name, _address: lambda *_words: told.append(name),
        withdraw=lambda name: told.append(f"no more {name}"),
    )
    requests: Any = SimpleNamespace(add_outlet=lambda *_words: lambda: None)
    commits: Any = None
    port = SerialSetting(str(tmp_path / "ttyNONE"), 9600, "bed")
    kind = kind_from_toml(PROBE)
    with store.write() as connection:
        add_station(connection, "bed", place="Bed", kind=PLAIN, cadence_s=60)
    doors = DoorSupervisor(store, commits, presence, requests, tmp_path, (port,))
    following = asyncio.create_task(doors.settings.run())
    try:
        await _until(lambda: told == ["serial ttyNONE"])
        for name, layout in (
            ("laid out", kind.layout),
            ("otherwise", None),
            ("again", kind.layout),
        ):
            with store.write() as connection:
                keep_kind(connection, replace(kind, layout=layout, name=name))
                station = load_site(connection).station("bed")
                assert station is not None
                settle_station(connection, station, kind="bed-probe")
            told.clear()
            doors.settings.wake()
            await _until(lambda: told[:2] == ["no more serial ttyNONE", "serial ttyNONE"])
        # What is no matter of bytes leaves it open.
        with store.write() as connection:
            keep_kind(connection, replace(kind, name="other"))
        told.clear()
        doors.settings.wake()
        await asyncio.to_thread(lambda: None)
        assert "no more serial ttyNONE" not in told
    finally:
        following.cancel()
        await asyncio.wait((following,))
        await doors.close()


async def _until(condition: Callable[[], object]) -> None:
    async with asyncio.timeout(PATIENCE_S):
        while not condition():
            await asyncio.sleep(0.01)
