"""The remarks that stand in the Ledger's side panel, in words."""

from __future__ import annotations

from rook_tally.core.moment_words import clock_words
from rook_tally.core.timestamps import DAY_US, datetime_from_time_us
from rook_tally.desk.data.site_state import SiteState
from rook_tally.store.site import Series

_MOST = 3


def remark_lines(state: SiteState, series: Series) -> list[str]:
    """The newest remarks of the day before the moment shown, about the place of a series or the
    whole site: a clock time and the words, newest first."""
    now_us = state.now_us
    near = [
        one
        for one in state.remarks
        if one.touches(now_us - DAY_US, now_us + 1)
        and one.place in (None, series.station.place.name)
    ]
    return [
        f"{clock_words(datetime_from_time_us(one.start_us).astimezone(state.zone))}  {one.text}"
        for one in reversed(near[-_MOST:])
    ]
