"""Attributes of a station in the midst of its readings: firmware, status, its controls."""

from __future__ import annotations

from functools import lru_cache

from rook_tally.intake.bounds import LONGEST_NAME
from rook_tally.intake.decode.json_text import Json
from rook_tally.intake.message import StationAttribute
from rook_tally.store.site import CONTROL_PREFIX, FIRMWARE, OFFLINE, ONLINE, STATUS

_FIRMWARE_NAMES = frozenset(
    {"firmware", "fw", "fw_version", "firmware_version", "version", "sw_version"}
)
_LONGEST_WORD = 100
_STATUS_WORDS = {
    "online": ONLINE,
    "up": ONLINE,
    "connected": ONLINE,
    "alive": ONLINE,
    "offline": OFFLINE,
    "down": OFFLINE,
    "disconnected": OFFLINE,
    "lost": OFFLINE,
}


def said_from(field: str, value: Json, *, at: int, station: str | None) -> StationAttribute | None:
    """A word about the station itself; None when the field is to be a reading."""
    sort = _sort_of(field) if len(field) <= LONGEST_NAME else None
    if sort is None or value is None or isinstance(value, list | dict) or not _word(value):
        return None
    if sort is CONTROL_PREFIX:
        return StationAttribute(at, field, _word(value), station)
    if sort is FIRMWARE and not isinstance(value, bool):
        return StationAttribute(at, FIRMWARE, _word(value), station)
    if sort is STATUS and isinstance(value, str):
        told = _STATUS_WORDS.get(value.strip().lower())
        return None if told is None else StationAttribute(at, STATUS, told, station)
    return None


def may_be_said(field: str) -> bool:
    """True if a field of that name can be such a word."""
    if len(field) > LONGEST_NAME:
        return False
    return _sort_of(field) is not None


@lru_cache(4096)
def _sort_of(field: str) -> str | None:
    """Which sort of word a field can be: the same few fields come with every message."""
    if field.startswith(CONTROL_PREFIX) and len(field) > len(CONTROL_PREFIX):
        return CONTROL_PREFIX
    name = field.lower()
    if name in _FIRMWARE_NAMES:
        return FIRMWARE
    return STATUS if name == STATUS else None


def _word(value: bool | int | float | str) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    text = value.strip() if isinstance(value, str) else f"{value:.12g}"
    return text[:_LONGEST_WORD]
