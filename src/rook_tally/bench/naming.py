"""Which series somebody means: by station, by `quantity@place`, by `quantity@place/station`."""

from __future__ import annotations

from collections.abc import Sequence

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.named_series import slug_of
from rook_tally.store.site import Series, Site


def reference_of(one: Series) -> str:
    """The words by which `series_named` finds just this series."""
    place = slug_of(one.station.place.name)
    if one.station.is_worked_out:
        return f"{one.quantity.slug}@{place}"
    return f"{one.quantity.slug}@{place}/{one.station.key}"


def series_named(site: Site, text: str, quantity: str = "") -> Series:
    """The one series that some words mean.

    Parameters
    ----------
    text : str
        A station's key, or as formulas write it `co2@shop`, `co2@shop/shop-shelf`.
    quantity : str
        Of a station that tells several.

    Raises
    ------
    UsageError
        When none or several are meant; it lists those there are.
    """
    found = _all_named(site.series_in_use, text.strip(), quantity)
    if len(found) == 1:
        return found[0]
    if not found:
        known = ", ".join(sorted(reference_of(one) for one in site.series_in_use)[:12])
        raise UsageError(
            f"no series is called {text!r}" + (f" with {quantity}" if quantity else ""),
            remedy=f"such as: {known or 'none yet'}",
        )
    raise UsageError(
        f"{text!r} could be any of {len(found)} series",
        remedy="say which: " + ", ".join(reference_of(one) for one in found[:12]),
    )


def _all_named(series: Sequence[Series], text: str, quantity: str) -> list[Series]:
    slug, at, where = text.partition("@")
    if not at:
        place_name, station = "", text
        slug = quantity
    else:
        place_name, _, station = where.partition("/")
    found = [
        one
        for one in series
        if (not slug or one.quantity.slug == slug)
        and (not station or one.station.key == station)
        and (not place_name or place_name in (slug_of(one.station.place.name), one.station.key))
    ]
    if not found and not at:
        # A working or a quantity by itself, where only one place has it.
        found = [one for one in series if text in (one.quantity.slug, one.station.place.name)]
    return found


def shared_series(site: Site, first: str, second: str, quantity: str) -> tuple[Series, Series]:
    """Two series to compare; of two stations the quantity they share, if that is one.

    Raises
    ------
    UsageError
        When they share none, or several and nobody said which.
    """
    if quantity or "@" in first or "@" in second:
        return series_named(site, first, quantity), series_named(site, second, quantity)
    one, other = (
        _all_named(site.series_in_use, first, ""),
        _all_named(site.series_in_use, second, ""),
    )
    shared = [
        (a, b) for a in one for b in other if a.quantity.slug == b.quantity.slug and a.id != b.id
    ]
    if len(shared) > 1:
        names = ", ".join(sorted({a.quantity.slug for a, _ in shared}))
        raise UsageError(
            f"{first} and {second} share several quantities", remedy=f"say --quantity: {names}"
        )
    if not shared:
        return series_named(site, first), series_named(site, second)
    return shared[0]
