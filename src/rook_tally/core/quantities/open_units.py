"""Units as open standards write them: SenML (RFC 8428 and 8798) and UCUM."""

from __future__ import annotations

_SENML = {
    "°C": "Cel",
    "%": "%",
    "ppm": "ppm",
    "µg/m³": "ug/m3",
    "lx": "lx",
    "dB(A)": "dB",
    "Ω": "Ohm",
    "index": "/",
    "°": "deg",
    "1/min": "1/min",
    "": "/",
}
_UCUM = {
    "°C": "Cel",
    "%": "%",
    "ppm": "[ppm]",
    "µg/m³": "ug/m3",
    "dB(A)": "dB[SPL]",
    "g": "[g]",
    "Ω": "Ohm",
    "index": "1",
    "°": "deg",
    "1/min": "/min",
    "A": "A",
    "Ah": "A.h",
    "dBm": "dB[mW]",
    "": "1",
    "K/h": "K/h",
    "1/h": "/h",
}


def senml_unit(symbol: str) -> str:
    """The SenML name of a base unit's symbol; the symbol itself where none is registered."""
    return _SENML.get(symbol, symbol)


def ucum_unit(symbol: str) -> str:
    """The UCUM code of a base unit's symbol; the symbol itself where it is one."""
    return _UCUM.get(symbol, symbol)
