"""Which series a command is about."""

from __future__ import annotations

from rook_tally.core.errors import UsageError
from rook_tally.core.registry import quantity_named
from rook_tally.store import Series, Site


def chosen_series(site: Site, station: str | None, quantity: str | None) -> list[Series]:
    """The series of a station, of a quantity, of both, or all.

    Raises
    ------
    UsageError
        When there is no such station or quantity.
    """
    if quantity is not None:
        quantity_named(quantity)
    if station is not None and site.station(station) is None:
        raise UsageError(
            f"there is no station {station!r}",
            remedy="known: " + (", ".join(one.key for one in site.stations) or "none yet"),
        )
    return [
        one
        for one in site.series
        if station in (None, one.station.key) and quantity in (None, one.quantity.slug)
    ]
