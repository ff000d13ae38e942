"""This machine's own probes, by the kernel's documented sysfs interfaces.

industrial I/O (`sysfs-bus-iio`), hardware monitoring (`hwmon/sysfs-interface`), one-wire
thermometers (`w1_therm`), thermal zones and power supplies. Each device is a station, named by what
it is and not by its number, which may be another after the next start.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path
from typing import TypeAlias

import msgspec

from rook_tally.core.errors import UsageError

_LONGEST = 4096


class ProbeValue(msgspec.Struct, frozen=True):
    """A value of a probe: `why` says why there is none where it could not be read."""

    field: str
    unit: str
    value: float | None
    why: str = ""


class ProbeReading(msgspec.Struct, frozen=True):
    """What a probe says: its station's name, where it is, and its values."""

    name: str
    path: str
    values: tuple[ProbeValue, ...]


class ProbeChannel(msgspec.Struct, frozen=True):
    """A file that holds a number: value = (number + offset) × scale, in a unit of the quantity."""

    file: Path
    quantity: str
    unit: str
    scale: float
    offset: float = 0.0
    label: str = ""


Probes: TypeAlias = dict[str, tuple[Path, list[ProbeChannel]]]
"""By the name of the station: the device's folder and its channels."""

# By channel type: quantity, our unit, and the factor from the unit the kernel documents.
_IIO = {
    "temp": ("temperature", "°C", 1e-3),
    "ambienttemp": ("temperature", "°C", 1e-3),
    "humidityrelative": ("humidity", "%", 1e-3),
    "pressure": ("pressure", "kPa", 1.0),
    "illuminance": ("illuminance", "lx", 1.0),
    "voltage": ("voltage", "mV", 1.0),
    "current": ("current", "mA", 1.0),
    "power": ("power", "W", 1e-3),
    "resistance": ("gas_resistance", "Ω", 1.0),
    "distance": ("distance", "m", 1.0),
    "uvindex": ("uv_index", "index", 1.0),
    "concentration_co2": ("co2", "ppm", 1e4),
    "concentration_voc": ("tvoc", "µg/m³", 1.0),
    "massconcentration_pm1": ("pm1", "µg/m³", 1.0),
    "massconcentration_pm2p5": ("pm25", "µg/m³", 1.0),
    "massconcentration_pm4": ("pm4", "µg/m³", 1.0),
    "massconcentration_pm10": ("pm10", "µg/m³", 1.0),
}
_HWMON = {
    "temp": ("temperature", "°C", 1e-3),
    "in": ("voltage", "V", 1e-3),
    "curr": ("current", "A", 1e-3),
    "power": ("power", "W", 1e-6),
    "energy": ("energy", "Wh", 1e-6 / 3600),
    "humidity": ("humidity", "%", 1e-3),
    "fan": ("fan_speed", "1/min", 1.0),
}
_SUPPLY = {
    "capacity": ("battery", "%", 1.0),
    "voltage_now": ("voltage", "V", 1e-6),
    "current_now": ("current", "A", 1e-6),
    "power_now": ("power", "W", 1e-6),
    "charge_now": ("charge", "Ah", 1e-6),
    "energy_now": ("energy", "Wh", 1e-6),
    "temp": ("temperature", "°C", 0.1),
    "online": ("switch", "", 1.0),
}
_IIO_FILE = re.compile(r"in_([a-z]+?)(\d*)(?:_([a-z0-9]+))?_(raw|input)")
_HWMON_FILE = re.compile(r"(temp|in|curr|power|energy|humidity|fan)(\d+)_input")
_W1_LINE = re.compile(r"t=(-?\d+)\s*$")


def probes_in(root: Path) -> Probes:
    """The probes below a `sys` folder by their stations' names, with their channels. Looked for
    anew each time: they come and go.

    Raises
    ------
    UsageError
        When there is no such folder.
    """
    if not root.is_dir():
        raise UsageError(f"{root} is no folder", remedy="the kernel's own is /sys")
    found: Probes = {}
    for kind, folder, channels in (
        ("iio", "bus/iio/devices", _iio_channels),
        ("w1", "bus/w1/devices", _w1_channels),
        ("hwmon", "class/hwmon", _hwmon_channels),
        ("thermal", "class/thermal", _thermal_channels),
        ("supply", "class/power_supply", _supply_channels),
    ):
        for device in _folders(root / folder):
            told = list(channels(device))
            if told:
                found[_free_name(f"{kind}-{_own_name(kind, device)}", device, found)] = device, told
    return found


def read_probe(name: str, device: Path, channels: list[ProbeChannel]) -> ProbeReading:
    """What a probe says now."""
    fields = _field_names(channels)
    values = tuple(_read(field, channel) for field, channel in zip(fields, channels, strict=True))
    return ProbeReading(name, str(device), values)


def _read(field: str, channel: ProbeChannel) -> ProbeValue:
    try:
        number = _number_in(channel.file)
    except OSError as error:
        why = f"{channel.file.name} cannot be read: {error.strerror or error}"
        return ProbeValue(field, channel.unit, None, why)
    except ValueError as error:
        return ProbeValue(field, channel.unit, None, f"{channel.file.name} says {error}")
    value = (number + channel.offset) * channel.scale
    return ProbeValue(field, channel.unit, round(value, 9))


def _number_in(file: Path) -> float:
    with file.open("rb") as opened:
        text = opened.read(_LONGEST).decode("utf-8", "replace").strip()
    if file.name == "w1_slave":
        told = _W1_LINE.search(text)
        if "YES" not in text or told is None:
            raise ValueError("that its check does not hold")
        text = told[1]
    try:
        number = float(text)
    except ValueError:
        raise ValueError(f"{text[:40]!r}, which is no number") from None
    if number != number or number in (float("inf"), float("-inf")):
        raise ValueError(f"{text[:40]!r}, which is no reading")
    return number


def _field_names(channels: list[ProbeChannel]) -> list[str]:
    """A quantity's slug where a probe has it once, else with its label or its number."""
    slugs = [one.quantity for one in channels]
    names: list[str] = []
    for one in channels:
        name = one.quantity
        if slugs.count(name) > 1:
            name = f"{name}_{_word(one.label or one.file.name).replace('-', '_')}"
        names.append(name if name not in names else f"{name}_{len(names)}")
    return names


def _iio_channels(device: Path) -> Iterator[ProbeChannel]:
    for file in _files(device):
        told = _IIO_FILE.fullmatch(file.name)
        if told is None:
            continue
        sort, number, modifier, form = told.groups()
        known = _IIO.get(f"{sort}_{modifier}") or (_IIO.get(sort) if modifier is None else None)
        if known is None:
            continue
        # A raw channel is left to its processed one.
        stem = file.name.removesuffix(f"_{form}")
        if form == "raw" and (device / f"{stem}_input").exists():
            continue
        quantity, unit, factor = known
        scale = offset = None
        if form == "raw":
            # Shared by all of a type where a channel has none of its own.
            scale = _told(device, f"{stem}_scale", f"in_{sort}_scale")
            offset = _told(device, f"{stem}_offset", f"in_{sort}_offset")
        label = _text(device / f"{stem}_label") or number or (modifier or "")
        yield ProbeChannel(
            file, quantity, unit, factor * (1.0 if scale is None else scale), offset or 0.0, label
        )


def _hwmon_channels(device: Path) -> Iterator[ProbeChannel]:
    for file in _files(device):
        told = _HWMON_FILE.fullmatch(file.name)
        if told is None or _told(device, f"{told[1]}{told[2]}_fault"):
            continue
        quantity, unit, scale = _HWMON[told[1]]
        label = _text(device / f"{told[1]}{told[2]}_label") or told[2]
        yield ProbeChannel(file, quantity, unit, scale, label=label)


def _w1_channels(device: Path) -> Iterator[ProbeChannel]:
    for name in ("temperature", "w1_slave"):
        if (device / name).is_file():
            yield ProbeChannel(device / name, "temperature", "°C", 1e-3)
            return


def _thermal_channels(device: Path) -> Iterator[ProbeChannel]:
    if device.name.startswith("thermal_zone") and (device / "temp").is_file():
        yield ProbeChannel(device / "temp", "temperature", "°C", 1e-3)


def _supply_channels(device: Path) -> Iterator[ProbeChannel]:
    for name, (quantity, unit, scale) in _SUPPLY.items():
        if (device / name).is_file():
            yield ProbeChannel(device / name, quantity, unit, scale)


def _own_name(kind: str, device: Path) -> str:
    """What a device calls itself; of one-wire and power supplies its folder, which is its own."""
    file = {"iio": "name", "hwmon": "name", "thermal": "type"}.get(kind)
    told = _text(device / file) if file else ""
    return _word(told or device.name)


def _free_name(name: str, device: Path, taken: Probes) -> str:
    """A name that no other probe has: of several alike by where they hang, or by their number."""
    if name not in taken:
        return name
    try:
        where = _word((device / "device").resolve().name)
    except OSError:
        where = ""
    told = f"{name}-{where}" if where and where != "device" else f"{name}-{_word(device.name)}"
    return told if told not in taken else f"{told}-{_word(device.name)}"


def _word(text: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-") or "probe"


def _told(device: Path, *names: str) -> float | None:
    """The number in the first of these files that is there."""
    for name in names:
        try:
            return _number_in(device / name)
        except (OSError, ValueError):
            continue
    return None


def _text(file: Path) -> str:
    try:
        with file.open("rb") as opened:
            return opened.read(_LONGEST).decode("utf-8", "replace").strip()
    except OSError:
        return ""


def _folders(folder: Path) -> list[Path]:
    try:
        return sorted(one for one in folder.iterdir() if one.is_dir())
    except OSError:
        return []


def _files(folder: Path) -> list[Path]:
    try:
        return sorted(one for one in folder.iterdir() if one.is_file())
    except OSError:
        return []
