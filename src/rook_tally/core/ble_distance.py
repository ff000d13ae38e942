"""Estimates, very roughly, the distance of a radio by its signal strength."""

from __future__ import annotations

TYPICAL_AT_1_M_DBM = -59.0
INDOOR_EXPONENT = 2.7


def rough_distance_m(
    rssi_dbm: float, at_1_m_dbm: float = TYPICAL_AT_1_M_DBM, exponent: float = INDOOR_EXPONENT
) -> float:
    """Distance in metres by the log-distance path loss model: d = 10^((P₁ₘ − RSSI) / 10n).

    Walls and bodies make it wrong by a factor of two or three. The exponent is 2 in the open and
    2 to 3.5 indoors (ITU-R P.1238).
    """
    return float(10.0 ** ((at_1_m_dbm - rssi_dbm) / (10.0 * exponent)))


def distance_in_words(metres: float) -> str:
    """A distance no more exact than it is."""
    if metres < 1.5:
        return "within reach"
    if metres < 10:
        return f"about {metres:.0f} m"
    return f"about {round(metres, -1):.0f} m"
