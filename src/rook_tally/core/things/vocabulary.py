"""Words that our Thing Models use beside those of the standard, and units as others write them."""

from __future__ import annotations

from typing import Final

from rook_tally.core.quantities.open_units import senml_unit, ucum_unit
from rook_tally.core.quantities.quantity import Quantity
from rook_tally.core.quantities.unit import Unit

TD_CONTEXT: Final = "https://www.w3.org/2022/wot/td/v1.1"
MODBUS_CONTEXT: Final = "https://www.w3.org/2019/wot/modbus#"
OWN: Final = "tally"
OWN_CONTEXT: Final = "urn:rook-tally:"
KIND_ID: Final = f"{OWN_CONTEXT}kind:"
MODEL: Final = "tm:ThingModel"

# Of OM, QUDT and plain words; without what parts words.
_NAMES: Final = {
    "°C": ("degreecelsius", "celsius", "degc", "cel"),
    "°F": ("degreefahrenheit", "fahrenheit", "degf", "[degf]"),
    "K": ("kelvin",),
    "%": ("percent", "percentage", "%rh"),
    "hPa": ("hectopascal",),
    "Pa": ("pascal",),
    "kPa": ("kilopascal",),
    "ppm": ("partspermillion", "[ppm]"),
    "ppb": ("partsperbillion", "[ppb]"),
    "µg/m³": ("microgrampercubicmetre", "microgmperm3", "ug/m3", "μg/m³"),
    "lx": ("lux",),
    "dB(A)": ("decibel", "dba", "db", "db[spl]"),
    "V": ("volt",),
    "mV": ("millivolt",),
    "A": ("ampere",),
    "mA": ("milliampere", "milliamp"),
    "W": ("watt",),
    "kW": ("kilowatt", "kilow"),
    "kWh": ("kilowatthour", "kilowhr"),
    "Wh": ("watthour",),
    "m/s": ("metrepersecond", "meterpersecond", "mpersec"),
    "km/h": ("kilometreperhour", "kilometerperhour", "kmperhr"),
    "m": ("metre", "meter"),
    "mm": ("millimetre", "millimeter"),
    "cm": ("centimetre", "centimeter"),
    "°": ("degree", "deg"),
    "Ω": ("ohm",),
    "dBm": ("db[mw]",),
    "s": ("second", "sec"),
    "Hz": ("hertz",),
}


def own(word: str) -> str:
    """A word of our own, such as `tally:quantity`."""
    return f"{OWN}:{word}"


def unit_of_text(quantity: Quantity, text: str) -> Unit | None:
    """The unit of a quantity that a Thing Description names, whichever way; None for none of them.

    Symbols, UCUM and SenML codes, and the names of the OM and QUDT ontologies are understood.
    """
    wanted = text.strip()
    for unit in quantity.units:
        if wanted in (unit.symbol, ucum_unit(unit.symbol), senml_unit(unit.symbol)):
            return unit
    plain = _plain(wanted)
    for unit in quantity.units:
        if plain == _plain(unit.symbol) or plain in _NAMES.get(unit.symbol, ()):
            return unit
    return None


def _plain(text: str) -> str:
    """A name without its prefix and what parts words: om:degree_Celsius, unit:DEG_C."""
    return text.rpartition(":")[2].replace("_", "").replace("-", "").replace(" ", "").lower()
