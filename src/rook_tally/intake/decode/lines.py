"""Lines of `name=value`, parted by blanks, commas or semicolons: `temp=21.4 rh=55 time=…`.

A number may have its unit behind it (`temp=21.4°C`). Each line is a moment of its own.
"""

from __future__ import annotations

import re

from rook_tally.core.errors import DecodeError
from rook_tally.intake.bounds import LONGEST_LINE, RejectedValues, check_count, name_fault
from rook_tally.intake.decode.station_attributes import said_from
from rook_tally.intake.decode.text_value import sent_time, value_and_unit
from rook_tally.intake.message import Decoded, DecodedValue, StationAttribute

STATION, TIME = "station", "time"
# A comma within digits belongs to the value: 21,4 is no 21.
# It begins where a word begins: else a long word would be tried from each of its letters on.
_PAIR = re.compile(
    r"(?<![^\s=,;\"])([^\s=,;]{1,200}+)\s*+=\s*+(\"[^\"]*\"|[^\s=,;]+(?:(?<=\d),\d+(?=[\s,;]|$))?)"
)
_BETWEEN = re.compile(r"[\s,;]*")


def looks_like(text: str) -> bool:
    """True if the first line begins with a pair."""
    return _PAIR.match(text.lstrip()) is not None


def decode(text: str) -> Decoded:
    """The values of lines of pairs.

    Raises
    ------
    DecodeError
        When no line holds a pair.
    """
    items: list[DecodedValue] = []
    refused = RejectedValues()
    said: list[StationAttribute] = []
    for at, line in enumerate(one for one in text.lstrip("\ufeff").splitlines() if one.strip()):
        if len(line) > LONGEST_LINE:
            refused.add(at, "", f"a line of more than {LONGEST_LINE} characters")
            continue
        check_count(len(items))
        pairs = {found[1]: found[2].strip('"') for found in _PAIR.finditer(line)}
        if _BETWEEN.fullmatch(_PAIR.sub("", line)) is None:
            refused.add(at, "", "part of the line is no name=value")
        station = pairs.pop(STATION, None)
        time_us, note = sent_time(pairs.pop(TIME, None))
        for field, told in pairs.items():
            fault = name_fault(field)
            if fault:
                refused.add(at, field, fault)
                continue
            word = said_from(field, told, at=at, station=station)
            if word is not None:
                said.append(word)
                continue
            try:
                value, unit = value_and_unit(told)
            except ValueError as error:
                refused.add(at, field, f"{field}: {error}")
                continue
            items.append(DecodedValue(at, field, value, station, unit, time_us, note))
    if not items and not said and not any(one.field for one in refused):
        raise DecodeError("no line holds name=value", remedy="send something like temp=21.4")
    return Decoded(tuple(items), refused.told(), tuple(said))
