"""Series as they are named: by place, station and group."""

from __future__ import annotations

import re
from functools import lru_cache

import msgspec

from rook_tally.core.quantities.quantity import Quantity

HERE = "here"
"""The place a working is made for, when it is made for several."""
EVERYWHERE = "everywhere"
INDOORS, OUTDOORS = "indoors", "outdoors"
BUILT_IN_GROUPS = (EVERYWHERE, INDOORS, OUTDOORS)


@lru_cache(4096)
def slug_of(name: str) -> str:
    """A name as formulas write it: lower case, hyphens for what is no letter or digit."""
    return re.sub(r"[^\w]+", "-", name.casefold().replace("_", "-"), flags=re.UNICODE).strip("-")


class NamedSeries(msgspec.Struct, frozen=True):
    """A series as references see it; `maintenance_us` is from when to when its station is, or was
    last, under maintenance."""

    id: int
    quantity: Quantity
    place: str
    indoors: bool
    station: str
    field: str
    cadence_s: float
    is_worked_out: bool = False
    maintenance_us: tuple[int, int] | None = None


class Group(msgspec.Struct, frozen=True):
    """A named set of places, or of series told as place, quantity, station and field."""

    name: str
    places: tuple[str, ...] = ()
    series: tuple[int, ...] = ()
