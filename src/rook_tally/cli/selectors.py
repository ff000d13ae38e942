"""Which series a command is about."""

from __future__ import annotations

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.registry import quantity_named
from rook_tally.store.site import Series, Site, Station


def station_named(site: Site, key: str) -> Station:
    """The station with this key; UsageError listing the known ones when there is none."""
    station = site.station(key)
    if station is None:
        known = ", ".join(one.key for one in site.stations) or "none yet"
        raise UsageError(f"there is no station {key!r}", remedy=f"known: {known}")
    return station


def chosen_series(site: Site, station: str | None, quantity: str | None) -> list[Series]:
    """The series of a station, of a quantity, of both, or all.

    Raises
    ------
    UsageError
        When there is no such station or quantity.
    """
    # What is worked out goes by the same words as what is measured.
    if quantity is not None and all(one.quantity.slug != quantity for one in site.series):
        quantity_named(quantity)
    if station is not None and all(one.station.key != station for one in site.series):
        station_named(site, station)
    return [
        one
        for one in site.series
        if station in (None, one.station.key) and quantity in (None, one.quantity.slug)
    ]
