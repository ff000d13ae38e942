"""The figures of the Ledger's summary lines; without Qt."""

from __future__ import annotations

import numpy as np

from rook_tally.core.quantities.averaging import mean_value
from rook_tally.core.quantities.quantity import Quantity, QuantityScale
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.ledger.rows import Summary, SummaryRow


def summarised_values(state: SiteState, line: SummaryRow, quantity: Quantity) -> list[float]:
    """The newest value of each place of a group that is heard; empty where a quantity has no
    figures, as on and off have none."""
    if quantity.scale is QuantityScale.STATE:
        return []
    shown = (one for place in line.places for one in place.series.get(quantity.slug, ())[:1])
    return [
        newest.value
        for one in shown
        if (newest := state.latest.get(one.id)) is not None
        and newest.quality == 0
        and state.station_freshness(one.station).is_telling
    ]


def summary_figure(summary: Summary, quantity: Quantity, values: list[float]) -> float:
    """One figure of a list of values, in the quantity's base unit."""
    shown = np.array(values)
    match summary:
        case Summary.LOWEST:
            return float(np.min(shown))
        case Summary.MEAN:
            return mean_value(quantity.averaging, shown)
        case Summary.MEDIAN:
            return float(np.median(shown))
        case Summary.HIGHEST:
            return float(np.max(shown))
