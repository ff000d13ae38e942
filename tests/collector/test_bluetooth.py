"""Bluetooth by a simulated radio: Environmental Sensing, what kinds read of advertisements and
characteristics, what sensors send by themselves, lines of text; and what is in reach."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

from rook_tally.core.in_reach import Reachable, ReachSort
from rook_tally.store.maintenance import open_store
from rook_tally.store.site.in_reach import in_reach
from tests.collector.test_door_supervisor import door, state_of
from tests.processes import CollectorProcess, rook_tally, wait_until

SHELF = """
slug = "shelf-tag"
name = "shelf tag"
cadence_s = 1

[[field]]
name = "temp"
quantity = "temperature"

[[field]]
name = "cell"
quantity = "voltage"
unit = "mV"

[bluetooth]

[[bluetooth.advertised]]
company = 0xffff

[bluetooth.advertised.layout]
order = "little"
begins = "42"
check = "sum8"

[[bluetooth.advertised.layout.field]]
name = "temp"
at = 1
type = "i16"
scale = 0.01

[[bluetooth.advertised.layout.field]]
name = "cell"
at = 3
type = "u16"
"""
MILL = """
slug = "mill-pickup"
name = "mill pickup"
cadence_s = 10

[[field]]
name = "shake"
quantity = "temperature"

[[field]]
name = "strokes"
quantity = "illuminance"

[bluetooth]
named = "pug"

[[bluetooth.characteristic]]
uuid = "fff1"
notify = true

[bluetooth.characteristic.layout]
order = "little"

[[bluetooth.characteristic.layout.field]]
name = "shake"
at = 0
type = "i16"
scale = 0.1

[[bluetooth.characteristic]]
uuid = "fff2"

[bluetooth.characteristic.layout]
order = "little"

[[bluetooth.characteristic.layout.field]]
name = "strokes"
at = 0
type = "u16"
"""
SCALE = """
slug = "talking-scale"
name = "talking scale"
cadence_s = 10

[bluetooth]
named = "scale"
lines = true
"""
MISSING = MILL.replace("mill-pickup", "odd-mill").replace("fff2", "fff9")


@pytest.fixture
def radio(tmp_path: Path) -> Iterator[str]:
    """A bus on which a simulated radio takes BlueZ's place."""
    address = f"unix:path={tmp_path / 'bus'}"
    bus = subprocess.Popen(
        ["dbus-daemon", "--session", "--nofork", "--nopidfile", f"--address={address}"],
        stderr=subprocess.DEVNULL,
    )
    wait_until(lambda: (tmp_path / "bus").exists())
    stand_in = subprocess.Popen(
        [sys.executable, "-m", "rook_tally.demo.radio", "--bus", address, "--every", "0.2"]
    )
    yield address
    for process in (stand_in, bus):
        process.terminate()
        process.wait(10)


def _read_kind(collector: CollectorProcess, text: str) -> None:
    path = collector.store.with_suffix(".kind.toml")
    path.write_text(text)
    done = rook_tally("--store", collector.address, "kind", "read", str(path))
    assert done.returncode == 0, done.stderr


def _strays(collector: CollectorProcess) -> str:
    return rook_tally("--store", collector.address, "strays").stdout


def _take_in(collector: CollectorProcess, key: str, *words: str) -> None:
    wait_until(lambda: key in _strays(collector))
    done = rook_tally("--store", collector.address, "take-in", key, "--place", "Shed", *words)
    assert done.returncode == 0, done.stderr


def _values(collector: CollectorProcess, station: str) -> dict[str, float]:
    return {
        row["quantity"]: row["value"] for row in collector.latest() if row["station"] == station
    }


def test_kinds_read_what_sensors_advertise_send_and_hold(
    radio: str, store_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("DBUS_SYSTEM_BUS_ADDRESS", radio)
    with CollectorProcess(store_path, broker="off") as collector:
        door(collector, "add", "bluetooth")
        for text in (SHELF, MILL, SCALE):
            _read_kind(collector, text)
        # Its kind is found by what it advertises: nothing but the place has to be said.
        _take_in(collector, "ble-c4110a000003")
        wait_until(
            lambda: (
                _values(collector, "ble-c4110a000003") == {"temperature": 23.15, "voltage": 2.95}
            )
        )
        shown = rook_tally("--store", collector.address, "station", "list").stdout
        assert "shelf tag" in shown or "shelf-tag" in shown
        _take_in(collector, "ble-c4110a000004", "--kind", "mill-pickup")
        wait_until(
            lambda: (
                _values(collector, "ble-c4110a000004").keys()
                >= {"temperature", "illuminance", "battery"}
            )
        )
        told = _values(collector, "ble-c4110a000004")
        assert told["illuminance"] == 417.0
        assert told["battery"] == 64.0
        assert told["temperature"] in (12.0, 12.4)
        _take_in(collector, "ble-c4110a000005", "--kind", "talking-scale")
        wait_until(
            lambda: (
                _values(collector, "ble-c4110a000005") == {"temperature": 21.4, "humidity": 40.0}
            )
        )


def test_what_a_sensor_does_not_have_is_said_at_the_door(
    radio: str, store_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("DBUS_SYSTEM_BUS_ADDRESS", radio)
    with CollectorProcess(store_path, broker="off") as collector:
        _read_kind(collector, MISSING)
        door(collector, "add", "bluetooth")
        wait_until(
            lambda: (
                (state_of(collector, "bluetooth") or ("", ""))
                == ("open", "pug mill: it has no characteristic fff9")
            )
        )


def test_what_is_heard_by_radio_is_in_reach(
    radio: str, store_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("DBUS_SYSTEM_BUS_ADDRESS", radio)

    def found() -> dict[str, Reachable]:
        with open_store(store_path) as store, store.read() as connection:
            several = in_reach(connection)
        return {one.title: one for one in several if one.sort is ReachSort.BLUETOOTH}

    with CollectorProcess(store_path, broker="off") as collector:
        door(collector, "add", "bluetooth")
        wait_until(lambda: "kiln shelf" in found())
        shelf = found()["kiln shelf"]
        assert shelf.name == "ble-c4110a000003"
        assert shelf.says.startswith("−80 dBm, ")
        assert shelf.data == {"company ffff": "420b09860b e7".replace(" ", "")}
        assert "scale" in found()
        nearby = rook_tally("nearby", "--for", "1", env=dict(os.environ)).stdout
        assert "company ffff: 420b09860b" in nearby


def test_sensors_in_radio_range(
    radio: str, store_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("DBUS_SYSTEM_BUS_ADDRESS", radio)

    def nearby() -> str:
        return rook_tally("nearby", "--for", "1", env=dict(os.environ)).stdout

    wait_until(lambda: "rack pot" in nearby())
    assert "advertises its values" in nearby()
    with CollectorProcess(store_path) as collector:
        door(collector, "add", "bluetooth")
        for key, place in (("ble-c4110a000001", "Drying loft"), ("ble-c4110a000002", "Clay bin")):

            def is_heard(wanted: str = key) -> bool:
                return wanted in rook_tally("--store", collector.address, "strays").stdout

            wait_until(is_heard)
            done = rook_tally("--store", collector.address, "take-in", key, "--place", place)
            assert done.returncode == 0, done.stderr
        rows = {(row["station"], row["quantity"]): row["value"] for row in collector.latest()}
    assert rows["ble-c4110a000001", "temperature"] == 18.4
    assert rows["ble-c4110a000001", "battery"] == 88.0
    assert rows["ble-c4110a000001", "signal_strength"] == -61.0
    # This one tells nothing until it is connected to and read.
    assert rows["ble-c4110a000002", "humidity"] == 88.3


def test_no_radio_at_all_is_said(store_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("DBUS_SYSTEM_BUS_ADDRESS", "unix:path=/nowhere/bus")
    with CollectorProcess(store_path) as collector:
        door(collector, "add", "bluetooth")
        wait_until(
            lambda: (
                (state_of(collector, "bluetooth") or ("", ""))[1]
                == "this machine has no Bluetooth service"
            )
        )


def test_a_collector_ends_whatever_becomes_of_the_radio(
    radio: str, store_path: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What fails while a door is closed may swallow the word that it is to be closed."""
    monkeypatch.setenv("DBUS_SYSTEM_BUS_ADDRESS", radio)
    with CollectorProcess(store_path, broker="off") as collector:
        _read_kind(collector, MILL)
        door(collector, "add", "bluetooth")
        wait_until(lambda: "ble-c4110a000004" in _strays(collector))
        subprocess.run(["pkill", "-f", f"address={radio}"], check=True)
        assert collector.stop() == 0


def test_the_radio_is_tried_before_it_is_set_up(
    radio: str, store_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("DBUS_SYSTEM_BUS_ADDRESS", radio)
    with open_store(str(store_path)):
        pass

    def tried() -> str:
        words = ("--store", str(store_path), "door", "add", "bluetooth", "--try")
        return rook_tally(*words, env=dict(os.environ)).stdout

    wait_until(lambda: "rack pot" in tried())
    told = {line.split(" = ")[0].strip(): line for line in tried().splitlines()}
    assert told["rack pot"].endswith("advertises its values  is read")
    assert not told["kiln shelf"].endswith("is read")
    path = store_path.with_suffix(".kind.toml")
    path.write_text(SHELF)
    assert rook_tally("--store", str(store_path), "kind", "read", str(path)).returncode == 0
    told = {line.split(" = ")[0].strip(): line for line in tried().splitlines()}
    assert told["kiln shelf"].endswith("is read")
    monkeypatch.setenv("DBUS_SYSTEM_BUS_ADDRESS", "unix:path=/nowhere/bus")
    done = rook_tally(
        *("--store", str(store_path), "door", "add", "bluetooth", "--try"), env=dict(os.environ)
    )
    assert done.returncode != 0
    assert "no Bluetooth service" in done.stderr
