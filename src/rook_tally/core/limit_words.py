"""How far a value is from its limit, in words."""

from __future__ import annotations

from rook_tally.core.levels import Level, Limits
from rook_tally.core.shown import Shown
from rook_tally.core.wording import said


def limit_sentence(told: Shown, limits: Limits, value: float) -> str:
    """How far from the limit (where it becomes raised): `33 over the limit of 25`; empty without
    one."""
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
        return said("just at the limit of {0}", shown)
    if over:
        return said("{0} {1} the limit of {2}", distance, "over" if upper else "under", shown)
    return said("{0} {1} the limit of {2}", distance, "below" if upper else "above", shown)
