"""The newest readings of a station in words, for dialogs that wait for its first ones."""

from __future__ import annotations

from rook_tally.desk.data.site_state import SiteState
from rook_tally.store.site import Series

_MOST = 6


def newest_of(state: SiteState, key: str) -> dict[int, int]:
    """When each series of a station was read last, µs; empty where it is no station."""
    live = state.live.latest
    return {one.id: live[one.id].time_us for one in _series_of(state, key) if one.id in live}


def newest_words(state: SiteState, key: str) -> str:
    """Its newest readings, such as `Temperature 21.4 °C, Humidity 43 %`; empty where there are
    none."""
    live = state.live.latest
    told = [
        f"{one.quantity.name} {one.shown.text(live[one.id].value)} {one.shown.symbol}".strip()
        for one in _series_of(state, key)
        if one.id in live
    ]
    more = len(told) - _MOST
    return ", ".join(told[:_MOST]) + (f" +{more}" if more > 0 else "")


def _series_of(state: SiteState, key: str) -> list[Series]:
    return [one for one in state.site.series if one.station.key == key]
