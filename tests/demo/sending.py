"""The pottery's site file, and a first message of each of its stations."""

from __future__ import annotations

from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.site_file.content import StationEntry
from rook_tally.core.site_file.reading import site_from_toml
from rook_tally.demo.pottery import site_text

POTTERY = site_from_toml(site_text())


def first_message(station: StationEntry) -> dict[str, float]:
    """A value of each field, believable in the unit it is sent in."""
    return {one.name: _some_value(one.quantity, one.unit) for one in station.fields}


def _some_value(slug: str, unit: str) -> float:
    quantity = QUANTITIES[slug]
    wire = quantity.unit(unit)
    low, high = quantity.believable
    if slug in ("presence", "switch", "contact"):
        return 1
    middle = min(max(1.0, low), high)
    return middle if wire is None else float(wire.from_base(middle))
