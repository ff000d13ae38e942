"""This machine's own probes, on a stand-in for the kernel's tree."""

from __future__ import annotations

import asyncio
import os
from pathlib import Path

import pytest

from rook_tally.core.errors import UsageError
from rook_tally.intake.doors import sysfs
from rook_tally.intake.doors.probes import ProbesDoor
from rook_tally.intake.doors.sysfs import probes_in, read_probe
from rook_tally.intake.message import IntakeResult, Message
from rook_tally.store.site import DoorState, ProbesSetting


def tree(root: Path, files: dict[str, str]) -> Path:
    for name, text in files.items():
        file = root / name
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_text(f"{text}\n")
    return root


IIO, HWMON = "bus/iio/devices/iio:device0", "class/hwmon/hwmon3"
SHELF = {
    f"{IIO}/name": "bme280",
    f"{IIO}/in_temp_input": "21437",
    f"{IIO}/in_pressure_input": "101.325",
    f"{IIO}/in_humidityrelative_input": "48210",
}
CHIP = {
    f"{HWMON}/name": "coretemp",
    f"{HWMON}/temp1_input": "45000",
    f"{HWMON}/temp1_label": "Package id 0",
    f"{HWMON}/temp2_input": "43000",
    f"{HWMON}/temp2_label": "Core 0",
    f"{HWMON}/in0_input": "1012",
    f"{HWMON}/temp1_crit": "100000",
}


def told(root: Path) -> dict[str, dict[str, tuple[float | None, str]]]:
    return {
        name: {one.field: (one.value, one.unit) for one in read_probe(name, *where).values}
        for name, where in probes_in(root).items()
    }


def test_industrial_io_in_the_units_the_kernel_documents(tmp_path: Path) -> None:
    assert told(tree(tmp_path, SHELF)) == {
        "iio-bme280": {
            "humidity": (48.21, "%"),
            "pressure": (101.325, "kPa"),
            "temperature": (21.437, "°C"),
        }
    }


def test_raw_numbers_with_their_offset_and_scale(tmp_path: Path) -> None:
    # value = (raw + offset) × scale, in thousandths of a degree; one scale for all of a type.
    root = tree(
        tmp_path,
        {
            f"{IIO}/name": "adc",
            f"{IIO}/in_temp_raw": "1500",
            f"{IIO}/in_temp_offset": "-500",
            f"{IIO}/in_temp_scale": "20.5",
            f"{IIO}/in_voltage0_raw": "2048",
            f"{IIO}/in_voltage1_raw": "1024",
            f"{IIO}/in_voltage1_label": "soil",
            f"{IIO}/in_voltage_scale": "0.8",
            f"{IIO}/in_concentration_co2_raw": "413",
            f"{IIO}/in_concentration_co2_scale": "0.0001",
            f"{IIO}/in_accel_x_raw": "7",
        },
    )
    assert told(root) == {
        "iio-adc": {
            "co2": (413.0, "ppm"),
            "temperature": (20.5, "°C"),
            "voltage_0": (1638.4, "mV"),
            "voltage_soil": (819.2, "mV"),
        }
    }


def test_hardware_monitoring_one_wire_zones_and_supplies(tmp_path: Path) -> None:
    root = tree(
        tmp_path,
        CHIP
        | {
            "bus/w1/devices/28-0316a2794dff/w1_slave": "5f 01 4b 46 : crc=5e YES\n5f 01 t=21937",
            "class/thermal/thermal_zone0/type": "x86_pkg_temp",
            "class/thermal/thermal_zone0/temp": "47000",
            "class/thermal/cooling_device0/type": "Fan",
            "class/power_supply/BAT0/capacity": "87",
            "class/power_supply/BAT0/voltage_now": "12214000",
            "class/power_supply/AC/online": "1",
        },
    )
    assert told(root) == {
        "hwmon-coretemp": {
            "voltage": (1.012, "V"),
            "temperature_package_id_0": (45.0, "°C"),
            "temperature_core_0": (43.0, "°C"),
        },
        "w1-28-0316a2794dff": {"temperature": (21.937, "°C")},
        "thermal-x86-pkg-temp": {"temperature": (47.0, "°C")},
        "supply-ac": {"switch": (1.0, "")},
        "supply-bat0": {"battery": (87.0, "%"), "voltage": (12.214, "V")},
    }


def test_two_of_a_sort_have_names_that_stay(tmp_path: Path) -> None:
    one, other = "bus/iio/devices/iio:device0", "bus/iio/devices/iio:device1"
    files = {f"{one}/name": "sht31", f"{one}/in_temp_input": "20000"}
    root = tree(tmp_path, files | {f"{other}/name": "sht31", f"{other}/in_temp_input": "21000"})
    for device, where in ((one, "1-0044"), (other, "1-0045")):
        hangs = tmp_path / "devices" / where
        hangs.mkdir(parents=True)
        (root / device / "device").symlink_to(hangs)
    assert set(told(root)) == {"iio-sht31", "iio-sht31-1-0045"}


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("inf", "which is no reading"),
        ("nan", "which is no reading"),
        ("", "which is no number"),
        ("21,4", "which is no number"),
        ("x" * 5000, "which is no number"),
    ],
)
def test_what_is_no_reading_is_said(tmp_path: Path, text: str, why: str) -> None:
    root = tree(tmp_path, SHELF | {f"{IIO}/in_temp_input": text})
    (where,) = probes_in(root).values()
    values = {one.field: one for one in read_probe("iio-bme280", *where).values}
    assert values["temperature"].value is None
    assert why in values["temperature"].why
    assert values["humidity"].value == 48.21


def test_a_one_wire_check_that_does_not_hold(tmp_path: Path) -> None:
    root = tree(tmp_path, {"bus/w1/devices/28-01/w1_slave": "5f 01 : crc=00 NO\n5f 01 t=85000"})
    (where,) = probes_in(root).values()
    (value,) = read_probe("w1-28-01", *where).values
    assert (value.value, value.why) == (None, "w1_slave says that its check does not hold")


def test_an_error_of_the_bus_is_said(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    root = tree(tmp_path, SHELF)
    honest = sysfs._number_in

    def fails(file: Path) -> float:
        if file.name == "in_temp_input":
            raise OSError(5, os.strerror(5))
        return honest(file)

    monkeypatch.setattr(sysfs, "_number_in", fails)
    (where,) = probes_in(root).values()
    values = {one.field: one.why for one in read_probe("iio-bme280", *where).values}
    assert values["temperature"] == "in_temp_input cannot be read: Input/output error"
    assert values["humidity"] == ""


def test_a_folder_that_is_not_there() -> None:
    with pytest.raises(UsageError, match="is no folder"):
        probes_in(Path("/nowhere"))


class Taken:
    """A reception that keeps what it is given."""

    def __init__(self) -> None:
        self.messages: list[Message] = []

    async def take(self, message: Message) -> IntakeResult:
        self.messages.append(message)
        return IntakeResult()


async def test_the_door_reads_what_is_there_and_says_what_is_not(tmp_path: Path) -> None:
    root = tree(tmp_path, SHELF | CHIP)
    taken, states = Taken(), []
    settings = ProbesSetting(0.02, ("iio-bme280", "w1-28-9"), str(root))
    door = ProbesDoor(
        settings,
        reception=taken,
        report=lambda state, detail="": states.append((state, detail)),
        clock=lambda: 7,
    )
    door.open()
    while len(taken.messages) < 3:
        await asyncio.sleep(0.01)
    await door.close()
    first = taken.messages[0]
    assert {one.station for one in taken.messages} == {"iio-bme280"}
    assert first.body == (
        '{"humidity":"48.21 %","pressure":"101.325 kPa","temperature":"21.437 °C"}'.encode()
    )
    assert states[0] == (DoorState.OPEN, "w1-28-9 is not there")
