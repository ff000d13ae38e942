"""Guesses what a field of an unknown sender measures, by name and values: a proposal, never a
fact."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher

import numpy as np

from rook_tally.core.quantities.kinds import PLAIN, Field, Kind
from rook_tally.core.quantities.quantity import Quantity, QuantityScale
from rook_tally.core.quantities.registry import QUANTITIES

_NAMES: dict[str, tuple[str, ...]] = {
    "temperature": ("t", "temp", "air temp", "temperature", "ambient temp", "tair"),
    "surface_temperature": ("surface", "surface temp", "object temp", "case temp"),
    "humidity": ("h", "hum", "rh", "humidity", "rel hum", "relative humidity"),
    "pressure": ("p", "pres", "press", "pressure", "baro", "barometer", "air pressure"),
    "co2": ("co2", "eco2", "carbon dioxide", "co2ppm"),
    "co": ("co", "carbon monoxide"),
    "voc_index": ("voc", "voc index", "tvoc index", "sgp voc"),
    "nox_index": ("nox", "nox index"),
    "pm1": ("pm1", "pm10 ug"),
    "pm25": ("pm25", "pm2 5", "pm 2 5"),
    "pm10": ("pm10", "pm 10"),
    "sound_level": ("noise", "sound", "spl", "sound level", "loudness", "dba"),
    "illuminance": ("light", "lux", "illuminance", "brightness"),
    "substrate_moisture": ("moisture", "soil", "soil moisture", "substrate"),
    "water_level": ("level", "water level", "depth"),
    "rain": ("rain", "rainfall"),
    "wind_speed": ("wind", "wind speed"),
    "wind_direction": ("wind dir", "wind direction"),
    "voltage": ("v", "volt", "volts", "voltage", "vbat", "battery v", "supply"),
    "current": ("i", "amp", "amps", "current"),
    "power": ("power", "watt", "watts"),
    "battery": ("bat", "batt", "battery", "battery level", "soc"),
    "signal_strength": ("rssi", "signal", "wifi", "signal strength"),
    "presence": ("presence", "occupied", "occupancy", "motion", "pir"),
    "switch": ("on", "switch", "relay", "fan", "state"),
}
_UNIT_ENDINGS: dict[str, str] = {
    "f": "°F",
    "degf": "°F",
    "c": "°C",
    "degc": "°C",
    "k": "K",
    "hpa": "hPa",
    "pa": "Pa",
    "kpa": "kPa",
    "inhg": "inHg",
    "mv": "mV",
    "ma": "mA",
    "ppb": "ppb",
    "ppm": "ppm",
    "pct": "%",
    "lx": "lx",
    "kmh": "km/h",
    "mph": "mph",
    "mm": "mm",
    "cm": "cm",
    "m": "m",
    "db": "dB(A)",
}
_ALIKE = 0.75


@dataclass(frozen=True, slots=True)
class FieldGuess:
    """A field with what it seems to be; `quantity` None when nothing is like it."""

    name: str
    quantity: Quantity | None
    unit: str


def words_of(name: str) -> str:
    """A field's name as plain words: `airTemp_C` becomes `air temp c`."""
    parted = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name.rpartition(".")[2] or name)
    return " ".join(re.findall(r"[a-z]+\d*|\d+", parted.lower()))


# Of a box with a battery: a lead one under charge.
_MOST_VOLTS = 15.0


def named_field(name: str) -> tuple[Quantity | None, str]:
    """The quantity a field's name says, None for none, and the unit it ends in, empty for none."""
    words = words_of(name)
    stem, _, ending = words.rpartition(" ")
    told_unit = _UNIT_ENDINGS.get(ending, "")
    candidates = (words, stem if told_unit else "")
    for find in (_slug_called, _slug_like):
        for candidate in candidates:
            slug = find(candidate)
            if slug is not None:
                quantity = QUANTITIES[slug]
                return quantity, told_unit if quantity.unit(told_unit) is not None else ""
    return None, ""


def guessed_field(name: str, values: Sequence[float]) -> FieldGuess:
    """Guess the quantity a field measures and the unit that makes its values believable.

    The name decides first, whole, then without a unit at its end, then by likeness; the unit is the
    one the name ends in, else the first in which all values are believable.
    """
    quantity, told_unit = named_field(name)
    if quantity is QUANTITIES["battery"] and not told_unit:
        return _battery(name, values)
    if quantity is not None:
        return FieldGuess(name, quantity, _fitting_unit(quantity, told_unit, values))
    return FieldGuess(name, None, "")


def _battery(name: str, values: Sequence[float]) -> FieldGuess:
    """Guess the quantity and unit of a battery's numbers by their size: a share of 1, volts,
    percent or millivolts. A guess of a few percent would ring an alarm at once."""
    battery, voltage = QUANTITIES["battery"], QUANTITIES["voltage"]
    numbers = np.asarray(values, dtype=np.float64)
    most = float(numbers.max()) if len(numbers) and np.isfinite(numbers).all() else 100.0
    if 0 < most <= 1:
        return FieldGuess(name, battery, "1")
    if most <= _MOST_VOLTS:
        return FieldGuess(name, voltage, "V")
    if most <= 100:
        return FieldGuess(name, battery, battery.base.symbol)
    return FieldGuess(name, voltage, "mV")


def _names() -> dict[str, tuple[str, ...]]:
    return {slug: (slug.replace("_", " "), *_NAMES.get(slug, ())) for slug in QUANTITIES}


def _slug_called(words: str) -> str | None:
    """The quantity that goes by just these words."""
    for slug, names in _names().items():
        if words and (
            words in names or words.replace(" ", "") in {one.replace(" ", "") for one in names}
        ):
            return slug
    return None


def _slug_like(words: str) -> str | None:
    """The quantity whose name is most like these words, if any is enough."""
    if len(words) < 4:
        return None  # too short to be like anything
    likeness = {
        slug: max(SequenceMatcher(None, words, one).ratio() for one in names)
        for slug, names in _names().items()
    }
    best = max(likeness, key=lambda slug: likeness[slug])
    return best if likeness[best] >= _ALIKE else None


def _fitting_unit(quantity: Quantity, told: str, values: Sequence[float]) -> str:
    if told and quantity.unit(told) is not None:
        return told
    if quantity.scale is QuantityScale.STATE:
        return quantity.base.symbol
    low, high = quantity.believable
    numbers = np.asarray(values, dtype=np.float64)
    for unit in quantity.units:
        # What is too large to convert is believable in no unit.
        with np.errstate(over="ignore"):
            base = unit.to_base(numbers)
        if bool(((base >= low) & (base <= high)).all()):
            return unit.symbol
    return quantity.base.symbol


def guessed_kind(fields: Sequence[str], kinds: Sequence[Kind]) -> Kind:
    """The kind that has most of these fields by name, and few others; PLAIN when none has two. One
    that is named by a part is for who knows what is in the box."""
    names = set(fields)
    kinds = [one for one in kinds if not one.source]

    def score(kind: Kind) -> float:
        own = {one.name for one in kind.fields}
        return len(own & names) - 0.1 * len(own - names)

    best = max(kinds, key=score, default=PLAIN)
    shared = names & {one.name for one in best.fields}
    return best if len(shared) >= min(2, len(names)) and shared else PLAIN


def continued_field(name: str, silent: Sequence[Field], values: Sequence[float]) -> Field | None:
    """The field that a new one seems to continue under another name, after an update: of the same
    quantity as the new one, and no longer heard; None when there is none or more than one."""
    guess = guessed_field(name, values)
    alike = [one for one in silent if guess.quantity and one.quantity == guess.quantity.slug]
    return alike[0] if len(alike) == 1 else None
