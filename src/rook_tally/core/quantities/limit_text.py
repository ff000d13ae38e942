"""The distance of a value from its limit, in words."""

from __future__ import annotations

from rook_tally.core.quantities.display_unit import DisplayUnit
from rook_tally.core.quantities.levels import Level, Limits
from rook_tally.core.quantities.texts import tr


def limit_sentence(told: DisplayUnit, limits: Limits, value: float) -> str:
    """Distance from the limit in words: `33 over the limit of 25`, `4 above the lower limit of 31`;
    empty without one."""
    limit = limits.nearest(value)
    if limit is None:
        return ""
    shown = told.limit_text(limit)
    # As exact as the limit is written.
    more = 0 if told.decimals or round(told.value(limit), 6).is_integer() else 1
    distance = told.difference_figure(abs(value - limit), more=more)
    upper = limit == limits.above[Level.RAISED - 1]
    over = value >= limit if upper else value <= limit
    if told.difference(abs(value - limit)) < 10.0**-told.decimals / 2:
        return tr("just at the limit of {0}", shown)
    if over:
        words = "{0} over the limit of {1}" if upper else "{0} under the lower limit of {1}"
        return tr(words, distance, shown)
    if upper:
        return tr("{0} below the limit of {1}", distance, shown)
    # "Above the limit" alone would read as a breach.
    return tr("{0} above the lower limit of {1}, fine", distance, shown)
